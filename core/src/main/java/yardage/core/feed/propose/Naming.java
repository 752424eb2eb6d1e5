package yardage.core.feed.propose;

import java.text.Normalizer;
import java.util.Locale;
import java.util.Set;

/** Names for columns and feeds, made of what files have. */
final class Naming {
  private Naming() {}

  /** A name that SQL takes without quotes, unlike those used so far. */
  static String column(String name, Set<String> used) {
    String plain =
        ascii(name)
            .replaceAll("([a-z0-9])([A-Z])", "$1_$2")
            .toLowerCase(Locale.ROOT)
            .replaceAll("[^a-z0-9]+", "_");
    plain = plain.replaceAll("^_+|_+$", "");
    plain = plain.isEmpty() ? "column" : plain.matches("[0-9].*") ? "c_" + plain : plain;
    String out = plain;
    for (int i = 2; !used.add(out); i++) {
      out = plain + "_" + i;
    }
    return out;
  }

  /** A feed's name out of a path without what changes from file to file. */
  static String feed(String pattern, Set<String> used) {
    String plain =
        ascii(pattern)
            .toLowerCase(Locale.ROOT)
            .replaceAll("\\.[a-z0-9*]+(\\.[a-z0-9]+)?$", "")
            .replaceAll("[^a-z0-9]+", "-")
            .replaceAll("^[-0-9]+|-+$", "");
    plain = plain.isEmpty() ? "feed" : plain.substring(0, Math.min(50, plain.length()));
    plain = plain.replaceAll("-+$", "");
    String out = plain;
    for (int i = 2; !used.add(out); i++) {
      out = plain + "-" + i;
    }
    return out;
  }

  private static String ascii(String text) {
    String spelt =
        text.replace("ß", "ss")
            .replace("ø", "o")
            .replace("Ø", "O")
            .replace("æ", "ae")
            .replace("ł", "l");
    return Normalizer.normalize(spelt, Normalizer.Form.NFD).replaceAll("\\p{M}", "");
  }
}

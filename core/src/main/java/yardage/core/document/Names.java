package yardage.core.document;

import java.util.Collection;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Pattern;

/** What names may look like, and which one was probably meant. */
public final class Names {
  private static final Pattern DOCUMENT = Pattern.compile("[a-z][a-z0-9-]{0,62}");
  private static final Pattern STEP = Pattern.compile("[a-z][a-z0-9_]{0,62}");

  private Names() {}

  /** Whether a pipeline, a part, a feed or a test can be called so. */
  public static boolean isOfDocument(String name) {
    return DOCUMENT.matcher(name).matches();
  }

  /** What to say of a name that no document can have. */
  public static String wrongOfDocument(String name) {
    return "Invalid name [%s]: use lower-case letters, digits and hyphens, starting with a letter"
        .formatted(name);
  }

  /** Whether a step can be called so. */
  public static boolean isOfStep(String name) {
    return STEP.matcher(name).matches();
  }

  /** What to say of a name that no step can have. */
  public static String wrongOfStep(String name) {
    return "Invalid step name [%s]: use lower-case letters, digits and underscores, starting with a letter"
        .formatted(name);
  }

  /** Another name with the least edit distance, if that is small for its length. */
  public static Optional<String> nearest(String wanted, Collection<String> names) {
    String best = null;
    int bestDistance = Math.max(1, wanted.length() / 3) + 1;
    for (String name : names) {
      if (name.equals(wanted)) {
        // The very name is no correction: something else is wrong with it.
        continue;
      }
      int d = distance(wanted.toLowerCase(Locale.ROOT), name.toLowerCase(Locale.ROOT));
      if (d < bestDistance) {
        bestDistance = d;
        best = name;
      }
    }
    return Optional.ofNullable(best);
  }

  /** What to say behind "There is no …": what was probably meant, or else what there is. */
  public static String instead(String wanted, Collection<String> names) {
    return nearest(wanted, names)
        .map(n -> "; did you mean [%s]?".formatted(n))
        .orElse(
            names.isEmpty() ? "; there is none yet" : "; there are " + String.join(", ", names));
  }

  /**
   * Edits (insert, delete, replace, swap of neighbours) from one text to the other: optimal string
   * alignment.
   */
  static int distance(String a, String b) {
    int[][] d = new int[a.length() + 1][b.length() + 1];
    for (int i = 0; i <= a.length(); i++) {
      for (int j = 0; j <= b.length(); j++) {
        if (i == 0 || j == 0) {
          d[i][j] = i + j;
          continue;
        }
        int cost = a.charAt(i - 1) == b.charAt(j - 1) ? 0 : 1;
        d[i][j] = Math.min(Math.min(d[i - 1][j] + 1, d[i][j - 1] + 1), d[i - 1][j - 1] + cost);
        if (i > 1
            && j > 1
            && a.charAt(i - 1) == b.charAt(j - 2)
            && a.charAt(i - 2) == b.charAt(j - 1)) {
          d[i][j] = Math.min(d[i][j], d[i - 2][j - 2] + 1);
        }
      }
    }
    return d[a.length()][b.length()];
  }

  /** How queries name a document: {@code feed.loom_log} for the feed {@code loom-log}. */
  public static String inFrom(String kind, String name) {
    return kind + "." + name.replace('-', '_');
  }
}

package yardage.core.insight;

import java.text.Normalizer;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.function.UnaryOperator;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Something that keeps keys apart which people hold to be the same, and what takes it away.
 *
 * @param code stable
 * @param words what is in the way
 * @param apply the key without it; the same key where it has none of it
 * @param sql the same in SQL over a column, where {@code %s} stands for it; empty where SQL has no
 *     short way
 * @param both whether SQL does more than that, so that both sides need it
 */
record KeyRepair(
    String code, String words, UnaryOperator<String> apply, Optional<String> sql, boolean both) {
  private static final Pattern ZEROS = Pattern.compile("^0+(?=.)");
  private static final Pattern NUMBER = Pattern.compile("[+-]?[0-9]+(\\.[0-9]+)?");
  private static final Pattern DAY_FIRST =
      Pattern.compile("([0-3][0-9])[./-]([01][0-9])[./-]([0-9]{4})");
  private static final Pattern PREFIX = Pattern.compile("^[^0-9]+(?=[0-9])");

  private static KeyRepair of(String code, String words, UnaryOperator<String> apply, String sql) {
    return new KeyRepair(code, words, apply, Optional.of(sql), false);
  }

  private static KeyRepair ofBoth(
      String code, String words, UnaryOperator<String> apply, String sql) {
    return new KeyRepair(code, words, apply, Optional.of(sql), true);
  }

  /** The ones that are tried, the plainest first: of two that help as much the first is told. */
  static final List<KeyRepair> ALL =
      List.of(
          of("blanks", "blanks at the ends", String::strip, "trim(both ' ' from %s)"),
          of("case", "upper and lower case", k -> k.toLowerCase(Locale.ROOT), "lower(%s)"),
          of(
              "leading-zeros",
              "leading zeros",
              k -> ZEROS.matcher(k).replaceFirst(""),
              "trim(leading '0' from %s)"),
          ofBoth(
              "inner-blanks",
              "blanks inside, or of another kind",
              k -> k.replaceAll("[\\s\\p{Z}]+", " ").strip(),
              "collapse_blanks(%s)"),
          ofBoth(
              "invisible",
              "characters that cannot be seen",
              k -> k.replaceAll("[\\p{Cc}\\p{Cf}]+", ""),
              "collapse_blanks(%s)"),
          ofBoth("accents", "accents", KeyRepair::withoutAccents, "plain_text(%s)"),
          ofBoth(
              "number-format",
              "numbers that are written in another way",
              KeyRepair::asNumber,
              "cast(cast(%s as decimal(18, 6)) as varchar)"),
          of(
              "date-format",
              "dates that are written in another way",
              KeyRepair::asDate,
              "substring(%1$s from 7 for 4) || '-' || substring(%1$s from 4 for 2) || '-' || substring(%1$s from 1 for 2)"),
          new KeyRepair(
              "prefix",
              "letters before the number",
              k -> PREFIX.matcher(k).replaceFirst(""),
              Optional.empty(),
              false),
          ofBoth(
              "punctuation",
              "punctuation, case, accents and blanks together",
              KeyRepair::letters,
              "plain_text(%s)"));

  private static String withoutAccents(String key) {
    return Normalizer.normalize(key, Normalizer.Form.NFD).replaceAll("\\p{M}+", "");
  }

  private static String asNumber(String key) {
    Matcher m = NUMBER.matcher(key.strip());
    return m.matches()
        ? new java.math.BigDecimal(key.strip()).stripTrailingZeros().toPlainString()
        : key;
  }

  private static String asDate(String key) {
    Matcher m = DAY_FIRST.matcher(key);
    return m.matches() ? m.group(3) + "-" + m.group(2) + "-" + m.group(1) : key;
  }

  private static String letters(String key) {
    return withoutAccents(key).replaceAll("[^\\p{L}\\p{N}]+", " ").strip().toLowerCase(Locale.ROOT);
  }
}

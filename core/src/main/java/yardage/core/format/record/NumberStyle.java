package yardage.core.format.record;

import java.nio.charset.StandardCharsets;
import java.util.List;

/**
 * How numbers are written when they are not just digits, a point and a sign. A grouping character
 * must stand before each three digits of the whole part; a percent sign divides by a hundred; signs
 * of currency are skipped at either end.
 *
 * @param decimal the character before the fraction
 * @param group the character between thousands, or 0 for none
 * @param percent whether numbers may end in a percent sign
 * @param currency texts such as {@code EUR} or {@code $} that may stand before or after
 * @param minusBehind whether a minus may stand behind the digits, as in {@code 12.50-}
 * @param takesNotFinite whether doubles may be {@code NaN} or {@code Infinity}, in any case
 */
public record NumberStyle(
    char decimal,
    char group,
    boolean percent,
    List<String> currency,
    boolean minusBehind,
    boolean takesNotFinite) {
  private static final char NO_BREAK_SPACE = '\u00a0';
  private static final char NARROW_NO_BREAK_SPACE = '\u202f';

  public NumberStyle {
    currency = List.copyOf(currency);
    if (decimal == group) {
      throw new IllegalArgumentException(
          "[%s] cannot stand both before the fraction and between thousands".formatted(decimal));
    }
    if (Character.isLetterOrDigit(decimal)
        || Character.isLetterOrDigit(group)
        || "+-".indexOf(decimal) >= 0
        || "+-".indexOf(group) >= 0) {
      throw new IllegalArgumentException(
          "A letter, a digit or a sign cannot stand before the fraction or between thousands");
    }
  }

  public NumberStyle(char decimal, char group, boolean percent, List<String> currency) {
    this(decimal, group, percent, currency, false, false);
  }

  /**
   * Rewrites a number as digits, a point and a sign; null when it is not written in this style.
   * Meant for the rare file that needs it: it makes objects.
   */
  String plain(byte[] b, int start, int end) {
    String text = new String(b, start, end - start, StandardCharsets.UTF_8).strip();
    String sign = "";
    if (!text.isEmpty() && (text.charAt(0) == '-' || text.charAt(0) == '+')) {
      sign = text.charAt(0) == '-' ? "-" : "";
      text = text.substring(1).strip();
    } else if (text.startsWith("(") && text.endsWith(")")) {
      // Bookkeeping's way of writing a negative amount.
      sign = "-";
      text = text.substring(1, text.length() - 1).strip();
    }
    text = withoutCurrency(text);
    if (minusBehind && sign.isEmpty() && text.endsWith("-")) {
      sign = "-";
      text = withoutCurrency(text.substring(0, text.length() - 1).strip());
    }
    if (sign.isEmpty() && text.startsWith("-")) {
      sign = "-";
      text = text.substring(1).strip();
    }
    boolean hundredth = percent && text.endsWith("%");
    if (hundredth) {
      text = text.substring(0, text.length() - 1).strip();
    }
    int exponentAt = exponent(text);
    String exponent = exponentAt < 0 ? "" : text.substring(exponentAt);
    text = exponentAt < 0 ? text : text.substring(0, exponentAt);
    int point = text.indexOf(decimal);
    String whole = point < 0 ? text : text.substring(0, point);
    String fraction = point < 0 ? "" : text.substring(point + 1);
    if (group != 0) {
      whole = ungrouped(whole);
    }
    if (whole == null || (whole + fraction).isEmpty() || !isDigits(whole) || !isDigits(fraction)) {
      return null;
    }
    if (hundredth && !exponent.isEmpty()) {
      return null;
    }
    if (hundredth) {
      String padded = "00" + whole;
      fraction = padded.substring(padded.length() - 2) + fraction;
      whole = padded.substring(0, padded.length() - 2);
    }
    return sign
        + (whole.isEmpty() ? "0" : whole)
        + (fraction.isEmpty() ? "" : "." + fraction)
        + exponent;
  }

  /** Where an exponent such as {@code E+3} begins, or -1. */
  private static int exponent(String text) {
    int at = Math.max(text.indexOf('e'), text.indexOf('E'));
    return at > 0 && text.substring(at).matches("[eE][+-]?\\d{1,4}") ? at : -1;
  }

  private String withoutCurrency(String text) {
    for (String c : currency) {
      if (text.startsWith(c)) {
        return text.substring(c.length()).strip();
      }
      if (text.endsWith(c)) {
        return text.substring(0, text.length() - c.length()).strip();
      }
    }
    return text;
  }

  private String ungrouped(String whole) {
    String same =
        group == ' '
            ? whole.replace(NO_BREAK_SPACE, ' ').replace(NARROW_NO_BREAK_SPACE, ' ')
            : whole;
    if (same.indexOf(group) < 0) {
      return same;
    }
    int first = same.indexOf(group);
    if (first == 0 || first > 3) {
      return null;
    }
    for (int i = first; i < same.length(); i += 4) {
      if (same.charAt(i) != group || i + 4 > same.length()) {
        return null;
      }
    }
    return same.replace(String.valueOf(group), "");
  }

  private static boolean isDigits(String text) {
    return text.chars().allMatch(c -> c >= '0' && c <= '9');
  }
}

package yardage.core.format.text;

import yardage.core.column.Type;

/**
 * A compiled date or time pattern: runs of {@code y M d H m s S} are that many digits ({@code S} is
 * a fraction), anything else stands for itself, and quotes may enclose letters. Reads bytes without
 * making objects.
 */
final class TemporalPattern {
  static final long INVALID = Long.MIN_VALUE;
  private static final int[] DAYS_IN_MONTH = {31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31};

  private final byte[] units;
  private final int[] widths;
  private final boolean timestamp;

  private TemporalPattern(byte[] units, int[] widths, boolean timestamp) {
    this.units = units;
    this.widths = widths;
    this.timestamp = timestamp;
  }

  /**
   * @throws IllegalArgumentException saying what is wrong with the pattern
   */
  static TemporalPattern compile(String pattern, Type type) {
    boolean timestamp = type.kind() == Type.Kind.TIMESTAMP;
    byte[] units = new byte[pattern.length()];
    int[] widths = new int[pattern.length()];
    int n = 0;
    boolean quoted = false;
    for (int i = 0; i < pattern.length(); i++) {
      char c = pattern.charAt(i);
      if (c == '\'') {
        quoted = !quoted;
      } else if (!quoted && "yMdHmsS".indexOf(c) >= 0) {
        if (n > 0 && units[n - 1] == c && widths[n - 1] > 0) {
          widths[n - 1]++;
        } else {
          units[n] = (byte) c;
          widths[n++] = 1;
        }
      } else if (!quoted && Character.isLetter(c)) {
        throw new IllegalArgumentException(
            "Unknown letter [%s] in the pattern [%s]: use y M d H m s S, and quotes around other letters"
                .formatted(c, pattern));
      } else if (c > 0x7e) {
        throw new IllegalArgumentException("Pattern [%s] must be ASCII".formatted(pattern));
      } else {
        units[n++] = (byte) c;
      }
    }
    if (pattern.indexOf('y') < 0 || pattern.indexOf('M') < 0 || pattern.indexOf('d') < 0) {
      throw new IllegalArgumentException(
          "Pattern [%s] must have year (y), month (M) and day (d)".formatted(pattern));
    }
    return new TemporalPattern(
        java.util.Arrays.copyOf(units, n), java.util.Arrays.copyOf(widths, n), timestamp);
  }

  /** Days or microseconds since 1970-01-01, or {@link #INVALID} where the text is no such date. */
  long parse(byte[] b, int start, int end) {
    int year = 0;
    int month = 0;
    int day = 0;
    int hour = 0;
    int minute = 0;
    int second = 0;
    int micros = 0;
    int at = start;
    for (int u = 0; u < units.length; u++) {
      int width = widths[u];
      if (width == 0) {
        if (at >= end || b[at++] != units[u]) {
          return INVALID;
        }
        continue;
      }
      // A single letter takes one or two digits; more letters take exactly as many.
      int stop = at + width;
      if (width == 1 && units[u] != 'S' && stop < end && b[stop] >= '0' && b[stop] <= '9') {
        stop++;
      }
      if (stop > end) {
        return INVALID;
      }
      int v = 0;
      for (int i = at; i < stop; i++) {
        int digit = b[i] - '0';
        if (digit < 0 || digit > 9) {
          return INVALID;
        }
        v = v * 10 + digit;
      }
      int digits = stop - at;
      at = stop;
      switch (units[u]) {
        case 'y' -> year = digits == 2 ? 2000 + v : v;
        case 'M' -> month = v;
        case 'd' -> day = v;
        case 'H' -> hour = v;
        case 'm' -> minute = v;
        case 's' -> second = v;
        default -> {
          for (int i = digits; i < 6; i++) {
            v *= 10;
          }
          for (int i = digits; i > 6; i--) {
            v /= 10;
          }
          micros = v;
        }
      }
    }
    if (at != end || hour > 23 || minute > 59 || second > 59) {
      return INVALID;
    }
    int days = epochDay(year, month, day);
    if (days == Integer.MIN_VALUE) {
      return INVALID;
    }
    return timestamp
        ? days * 86_400_000_000L + ((hour * 60L + minute) * 60 + second) * 1_000_000L + micros
        : days;
  }

  /**
   * ISO 8601: {@code 2026-03-01}, for timestamps with {@code T} or a blank and {@code
   * 14:05[:09[.123456]]}.
   */
  static long parseIso(byte[] b, int start, int end, boolean timestamp) {
    if (end - start < 10 || b[start + 4] != '-' || b[start + 7] != '-') {
      return INVALID;
    }
    int days = epochDay(digits(b, start, 4), digits(b, start + 5, 2), digits(b, start + 8, 2));
    if (days == Integer.MIN_VALUE) {
      return INVALID;
    }
    if (!timestamp) {
      return end - start == 10 ? days : INVALID;
    }
    long micros = days * 86_400_000_000L;
    int at = start + 10;
    if (at == end) {
      return micros;
    }
    if (end - at < 6 || (b[at] != ' ' && b[at] != 'T') || b[at + 3] != ':') {
      return INVALID;
    }
    int hour = digits(b, at + 1, 2);
    int minute = digits(b, at + 4, 2);
    int second = 0;
    int fraction = 0;
    at += 6;
    if (at < end) {
      if (end - at < 3 || b[at] != ':') {
        return INVALID;
      }
      second = digits(b, at + 1, 2);
      at += 3;
      if (at < end) {
        if (b[at] != '.' || end - at < 2 || end - at > 7) {
          return INVALID;
        }
        fraction = digits(b, at + 1, end - at - 1);
        for (int i = end - at - 1; i < 6; i++) {
          fraction *= 10;
        }
      }
    }
    if (hour < 0
        || hour > 23
        || minute < 0
        || minute > 59
        || second < 0
        || second > 59
        || fraction < 0) {
      return INVALID;
    }
    return micros + ((hour * 60L + minute) * 60 + second) * 1_000_000L + fraction;
  }

  private static int digits(byte[] b, int at, int count) {
    int v = 0;
    for (int i = at; i < at + count; i++) {
      int d = b[i] - '0';
      if (d < 0 || d > 9) {
        return -1_000_000;
      }
      v = v * 10 + d;
    }
    return v;
  }

  /**
   * Days since 1970-01-01 in the proleptic Gregorian calendar, or Integer.MIN_VALUE where there is
   * no such day.
   */
  static int epochDay(int year, int month, int day) {
    if (year < 0 || month < 1 || month > 12 || day < 1) {
      return Integer.MIN_VALUE;
    }
    boolean leap = (year & 3) == 0 && (year % 100 != 0 || year % 400 == 0);
    if (day > DAYS_IN_MONTH[month - 1] && !(leap && month == 2 && day == 29)) {
      return Integer.MIN_VALUE;
    }
    // Years that start in March put the leap day last, so that months have a regular length.
    int y = month <= 2 ? year - 1 : year;
    int m = month <= 2 ? month + 9 : month - 3;
    int era = Math.floorDiv(y, 400);
    int ofEra = y - era * 400;
    int ofYear = (153 * m + 2) / 5 + day - 1;
    return era * 146097 + ofEra * 365 + ofEra / 4 - ofEra / 100 + ofYear - 719468;
  }
}

package yardage.core.format.record;

import yardage.core.column.Type;

/**
 * A compiled date or time pattern: runs of {@code y M d H h m s S} are that many digits ({@code S}
 * is a fraction), {@code MMM} and {@code MMMM} an English month's name, {@code a} is AM or PM,
 * {@code X} an offset such as {@code Z} or {@code +01:00}, which is taken off so that the time is
 * UTC; anything else stands for itself, and quotes may enclose letters. The words {@code
 * epoch-seconds} and {@code epoch-millis} are numbers since 1970. Reads bytes without making
 * objects.
 */
public final class TemporalPattern {
  public static final long INVALID = Long.MIN_VALUE;

  /**
   * The days of a year before each month and at its end, in common years and then in leap years.
   */
  private static final int[] DAYS_BEFORE_MONTH = {
    0, 31, 59, 90, 120, 151, 181, 212, 243, 273, 304, 334, 365, //
    0, 31, 60, 91, 121, 152, 182, 213, 244, 274, 305, 335, 366
  };

  /** The first day of each year of four digits: reckoned out they took half of reading a date. */
  private static final int[] YEAR_STARTS = new int[10_001];

  static {
    for (int year = 0; year < YEAR_STARTS.length; year++) {
      YEAR_STARTS[year] = countDays(year, 1, 1);
    }
  }

  private static final byte[][] MONTHS = {
    ascii("january"), ascii("february"), ascii("march"), ascii("april"), ascii("may"),
    ascii("june"), ascii("july"), ascii("august"), ascii("september"), ascii("october"),
    ascii("november"), ascii("december")
  };
  // "0000-00-" and "00:00:00", the first character in the lowest byte.
  private static final long ISO_MONTH = 0x2D30302D30303030L;
  private static final long ISO_MONTH_SIXES = 0x0006060006060606L;
  private static final long ISO_MONTH_REST = 0xFFF0F0FFF0F0F0F0L;
  private static final long ISO_CLOCK = 0x30303A30303A3030L;
  private static final long ISO_CLOCK_SIXES = 0x0606000606000606L;
  private static final long ISO_CLOCK_REST = 0xF0F0FFF0F0FFF0F0L;
  private static final long MICROS_OF_DAY = 86_400_000_000L;
  private static final int MOST_EPOCH_DIGITS = 14;

  private final byte[] units;
  private final int[] widths;
  private final boolean timestamp;
  private final long epochMicros;

  private TemporalPattern(byte[] units, int[] widths, boolean timestamp, long epochMicros) {
    this.units = units;
    this.widths = widths;
    this.timestamp = timestamp;
    this.epochMicros = epochMicros;
  }

  private static byte[] ascii(String text) {
    return text.getBytes(java.nio.charset.StandardCharsets.US_ASCII);
  }

  /**
   * @throws IllegalArgumentException saying what is wrong with the pattern
   */
  static TemporalPattern compile(String pattern, Type type) {
    boolean timestamp = type.kind() == Type.Kind.TIMESTAMP;
    if (!timestamp && type.kind() != Type.Kind.DATE) {
      throw new IllegalArgumentException("Only dates and timestamps have a format");
    }
    if (pattern.equals("epoch-seconds") || pattern.equals("epoch-millis")) {
      return new TemporalPattern(
          new byte[0], new int[0], timestamp, pattern.equals("epoch-millis") ? 1000 : 1_000_000);
    }
    byte[] units = new byte[pattern.length()];
    int[] widths = new int[pattern.length()];
    int n = 0;
    boolean quoted = false;
    for (int i = 0; i < pattern.length(); i++) {
      char c = pattern.charAt(i);
      if (c == '\'') {
        quoted = !quoted;
      } else if (!quoted && "yMdHhmsSaX".indexOf(c) >= 0) {
        if (n > 0 && units[n - 1] == c && widths[n - 1] > 0) {
          widths[n - 1]++;
        } else {
          units[n] = (byte) c;
          widths[n++] = 1;
        }
      } else if (!quoted && Character.isLetter(c)) {
        throw new IllegalArgumentException(
            "Unknown letter [%s] in the pattern [%s]: use y M d H h m s S a X, and quotes around other letters"
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
        java.util.Arrays.copyOf(units, n), java.util.Arrays.copyOf(widths, n), timestamp, 0);
  }

  /** Days or microseconds since 1970-01-01, or {@link #INVALID} where the text is no such date. */
  long parse(byte[] b, int start, int end) {
    if (epochMicros > 0) {
      return parseEpoch(b, start, end);
    }
    int year = 0;
    int month = 0;
    int day = 0;
    int hour = 0;
    int minute = 0;
    int second = 0;
    int micros = 0;
    int halfDay = -1;
    int offsetMinutes = 0;
    int at = start;
    for (int u = 0; u < units.length; u++) {
      int width = widths[u];
      if (width == 0) {
        if (at >= end || b[at++] != units[u]) {
          return INVALID;
        }
        continue;
      }
      if (units[u] == 'M' && width >= 3) {
        month = month(b, at, end, width == 3);
        if (month == 0) {
          return INVALID;
        }
        at += width == 3 ? 3 : MONTHS[month - 1].length;
        continue;
      }
      if (units[u] == 'a') {
        int half = at + 1 < end && (b[at + 1] | 0x20) == 'm' ? b[at] | 0x20 : 0;
        if (half != 'a' && half != 'p') {
          return INVALID;
        }
        halfDay = half == 'p' ? 1 : 0;
        at += 2;
        continue;
      }
      if (units[u] == 'X') {
        int length = offsetLength(b, at, end);
        if (length == 0) {
          return INVALID;
        }
        offsetMinutes = offset(b, at, length);
        at += length;
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
        case 'H', 'h' -> hour = v;
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
    if (halfDay >= 0) {
      if (hour < 1 || hour > 12) {
        return INVALID;
      }
      hour = hour % 12 + 12 * halfDay;
    }
    if (at != end || hour > 23 || minute > 59 || second > 59) {
      return INVALID;
    }
    int days = epochDay(year, month, day);
    if (days == Integer.MIN_VALUE) {
      return INVALID;
    }
    return timestamp
        ? days * MICROS_OF_DAY
            + ((hour * 60L + minute - offsetMinutes) * 60 + second) * 1_000_000L
            + micros
        : days;
  }

  private long parseEpoch(byte[] b, int start, int end) {
    boolean negative = start < end && b[start] == '-';
    int at = start + (negative ? 1 : 0);
    if (at == end || end - at > MOST_EPOCH_DIGITS) {
      return INVALID;
    }
    long v = 0;
    for (int i = at; i < end; i++) {
      if (b[i] < '0' || b[i] > '9') {
        return INVALID;
      }
      v = v * 10 + b[i] - '0';
    }
    if (v > Long.MAX_VALUE / epochMicros) {
      return INVALID;
    }
    long micros = (negative ? -v : v) * epochMicros;
    return timestamp ? micros : Math.floorDiv(micros, MICROS_OF_DAY);
  }

  /** The month named at {@code at}, 1 to 12, or 0. */
  private static int month(byte[] b, int at, int end, boolean brief) {
    for (int m = 0; m < MONTHS.length; m++) {
      int length = brief ? 3 : MONTHS[m].length;
      int i = 0;
      while (i < length && at + i < end && (b[at + i] | 0x20) == MONTHS[m][i]) {
        i++;
      }
      if (i == length) {
        return m + 1;
      }
    }
    return 0;
  }

  /**
   * Bytes of the offset from UTC that stands at {@code at}: Z, +hh, +hhmm or +hh:mm; 0 for none.
   */
  private static int offsetLength(byte[] b, int at, int end) {
    if (at >= end) {
      return 0;
    }
    if (b[at] == 'Z') {
      return 1;
    }
    if ((b[at] != '+' && b[at] != '-') || end - at < 3 || digits(b, at + 1, 2) < 0) {
      return 0;
    }
    int minutes = at + 3 < end && b[at + 3] == ':' ? at + 4 : at + 3;
    boolean hasMinutes = minutes + 2 <= end && digits(b, minutes, 2) >= 0;
    return hasMinutes ? minutes + 2 - at : minutes == at + 3 ? 3 : 0;
  }

  private static int offset(byte[] b, int at, int length) {
    if (length == 1) {
      return 0;
    }
    int minutes = digits(b, at + 1, 2) * 60 + (length == 3 ? 0 : digits(b, at + length - 2, 2));
    return b[at] == '-' ? -minutes : minutes;
  }

  /** ISO 8601: {@code 2026-03-01}, as days since 1970-01-01. */
  static long parseIsoDate(byte[] b, int start, int end) {
    return end - start == 10 ? isoDays(b, start) : INVALID;
  }

  private static long isoDays(byte[] b, int start) {
    // Digits become their values and dashes 0; what is left in a dash's place, or grows beyond 9,
    // is neither.
    long x = (long) Swar.LONG.get(b, start) ^ ISO_MONTH;
    int tens = b[start + 8] - '0';
    int ones = b[start + 9] - '0';
    if (((x | (x + ISO_MONTH_SIXES)) & ISO_MONTH_REST) != 0
        || (tens | ones | 9 - tens | 9 - ones) < 0) {
      return INVALID;
    }
    int year =
        (int) (x & 0xff) * 1000
            + (int) (x >>> 8 & 0xff) * 100
            + (int) (x >>> 16 & 0xff) * 10
            + (int) (x >>> 24 & 0xff);
    int month = (int) (x >>> 40 & 0xff) * 10 + (int) (x >>> 48 & 0xff);
    int days = epochDay(year, month, tens * 10 + ones);
    return days == Integer.MIN_VALUE ? INVALID : days;
  }

  /**
   * ISO 8601 as microseconds since 1970-01-01: {@code 2026-03-01}, with {@code T} or a blank,
   * {@code 14:05[:09[.123456789]]} and an offset such as {@code Z} or {@code +01:00}, which is
   * taken off so that the time is UTC. Digits beyond microseconds are cut.
   */
  static long parseIsoTime(byte[] b, int start, int end) {
    long days = end - start < 10 ? INVALID : isoDays(b, start);
    if (days == INVALID) {
      return INVALID;
    }
    long micros = days * MICROS_OF_DAY;
    int at = start + 10;
    if (end - at == 9 && (b[at] == ' ' || b[at] == 'T')) {
      long t = (long) Swar.LONG.get(b, at + 1) ^ ISO_CLOCK;
      if (((t | (t + ISO_CLOCK_SIXES)) & ISO_CLOCK_REST) == 0) {
        int hour = (int) (t & 0xff) * 10 + (int) (t >>> 8 & 0xff);
        int minute = (int) (t >>> 24 & 0xff) * 10 + (int) (t >>> 32 & 0xff);
        int second = (int) (t >>> 48 & 0xff) * 10 + (int) (t >>> 56);
        return hour > 23 || minute > 59 || second > 59
            ? INVALID
            : micros + ((hour * 60L + minute) * 60 + second) * 1_000_000L;
      }
    }
    return parseIsoClock(micros, b, at, end);
  }

  /** A time of day in any of its forms, behind the date that ends at {@code at}. */
  private static long parseIsoClock(long midnight, byte[] b, int from, int end) {
    long micros = midnight;
    int at = from;
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
      if (b[at] == ':') {
        if (end - at < 3) {
          return INVALID;
        }
        second = digits(b, at + 1, 2);
        at += 3;
      }
      if (at < end) {
        int stop = at + 1;
        while (b[at] == '.' && stop < end && b[stop] >= '0' && b[stop] <= '9') {
          stop++;
        }
        int places = Math.min(stop - at - 1, 6);
        if (b[at] == '.') {
          if (places == 0 || stop - at > 10) {
            return INVALID;
          }
          fraction = digits(b, at + 1, places);
          at = stop;
        }
        for (int i = places; i < 6; i++) {
          fraction *= 10;
        }
      }
    }
    if (at < end) {
      int length = offsetLength(b, at, end);
      if (length == 0 || at + length != end) {
        return INVALID;
      }
      micros -= offset(b, at, length) * 60_000_000L;
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
    if (year < YEAR_STARTS.length - 1) {
      int start = YEAR_STARTS[year];
      int at = (YEAR_STARTS[year + 1] - start - 365) * 13 + month;
      int before = DAYS_BEFORE_MONTH[at - 1];
      return day > DAYS_BEFORE_MONTH[at] - before ? Integer.MIN_VALUE : start + before + day - 1;
    }
    boolean leap = (year & 3) == 0 && (year % 100 != 0 || year % 400 == 0);
    int at = (leap ? 13 : 0) + month;
    return day > DAYS_BEFORE_MONTH[at] - DAYS_BEFORE_MONTH[at - 1]
        ? Integer.MIN_VALUE
        : countDays(year, month, day);
  }

  private static int countDays(int year, int month, int day) {
    // Years that start in March put the leap day last, so that months have a regular length.
    int y = month <= 2 ? year - 1 : year;
    int m = month <= 2 ? month + 9 : month - 3;
    int era = Math.floorDiv(y, 400);
    int ofEra = y - era * 400;
    int ofYear = (153 * m + 2) / 5 + day - 1;
    return era * 146097 + ofEra * 365 + ofEra / 4 - ofEra / 100 + ofYear - 719468;
  }
}

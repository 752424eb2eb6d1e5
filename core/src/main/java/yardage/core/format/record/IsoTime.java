package yardage.core.format.record;

/**
 * Dates and times written as ISO 8601 has them, read from bytes without making objects, eight
 * characters at a time where that helps.
 */
public final class IsoTime {
  /** What is given for a text that is no date or time. */
  public static final long INVALID = Long.MIN_VALUE;

  /** No place on earth is further from UTC. */
  private static final int MOST_OFFSET_MINUTES = 18 * 60;

  static final long MICROS_OF_DAY = 86_400_000_000L;

  // "0000-00-" and "00:00:00", the first character in the lowest byte.
  private static final long ISO_MONTH = 0x2D30302D30303030L;
  private static final long ISO_MONTH_SIXES = 0x0006060006060606L;
  private static final long ISO_MONTH_REST = 0xFFF0F0FFF0F0F0F0L;
  private static final long ISO_CLOCK = 0x30303A30303A3030L;
  private static final long ISO_CLOCK_SIXES = 0x0606000606000606L;
  private static final long ISO_CLOCK_REST = 0xF0F0FFF0F0FFF0F0L;

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

  private IsoTime() {}

  /** ISO 8601: {@code 2026-03-01}, as days since 1970-01-01. */
  public static long parseDate(byte[] b, int start, int end) {
    return end - start == 10 ? days(b, start) : INVALID;
  }

  private static long days(byte[] b, int start) {
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
  public static long parseTime(byte[] b, int start, int end) {
    long days = end - start < 10 ? INVALID : days(b, start);
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
    return parseBehindDate(micros, b, at, end);
  }

  /** ISO 8601: {@code 14:05[:09[.123456789]]}, as microseconds since midnight. */
  public static long parseTimeOfDay(byte[] b, int start, int end) {
    for (int i = start; i < end; i++) {
      if (b[i] != ':' && b[i] != '.' && (b[i] < '0' || b[i] > '9')) {
        return INVALID;
      }
    }
    return parseClock(0, b, start, end);
  }

  /** What stands behind a date that ends at {@code from}. */
  private static long parseBehindDate(long midnight, byte[] b, int from, int end) {
    return from == end
        ? midnight
        : b[from] == ' ' || b[from] == 'T' ? parseClock(midnight, b, from + 1, end) : INVALID;
  }

  /** A time of day in any of its forms. */
  private static long parseClock(long midnight, byte[] b, int from, int end) {
    long micros = midnight;
    int at = from;
    if (end - at < 5 || b[at + 2] != ':') {
      return INVALID;
    }
    int hour = digits(b, at, 2);
    int minute = digits(b, at + 3, 2);
    int second = 0;
    int fraction = 0;
    at += 5;
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
      micros -= offsetMinutes(b, at, length) * 60_000_000L;
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

  /** {@code 2026-03-01T08:30:00.123456}: shorter texts have no finer digits. */
  static final int LENGTH_WITH_MICROS = 26;

  /** Whether a time's text ends with an offset, such as {@code Z} or {@code +01:00}. */
  static boolean saysOffset(byte[] b, int start, int end) {
    for (int i = Math.max(start + 8, end - 6); i < end; i++) {
      if (b[i] == 'Z' || b[i] == '+' || b[i] == '-') {
        return i > start && offsetLength(b, i, end) == end - i;
      }
    }
    return false;
  }

  /** Whether a time that was read says more than microseconds keep. */
  static boolean hasDigitsBeyondMicros(byte[] b, int start, int end) {
    for (int i = start; i < end; i++) {
      if (b[i] == '.' || b[i] == ',') {
        int digit = i + 1;
        for (; digit < end && b[digit] >= '0' && b[digit] <= '9'; digit++) {
          if (digit - i > 6 && b[digit] != '0') {
            return true;
          }
        }
        i = digit - 1;
      }
    }
    return false;
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

  /**
   * Bytes of the offset from UTC that stands at {@code at}: Z, +hh, +hhmm or +hh:mm; 0 for none.
   */
  static int offsetLength(byte[] b, int at, int end) {
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
    int length = hasMinutes ? minutes + 2 - at : minutes == at + 3 ? 3 : 0;
    boolean isOffset =
        length > 0
            && Math.abs(offsetMinutes(b, at, length)) <= MOST_OFFSET_MINUTES
            && (!hasMinutes || digits(b, minutes, 2) < 60);
    return isOffset ? length : 0;
  }

  static int offsetMinutes(byte[] b, int at, int length) {
    if (length == 1) {
      return 0;
    }
    int minutes = digits(b, at + 1, 2) * 60 + (length == 3 ? 0 : digits(b, at + length - 2, 2));
    return b[at] == '-' ? -minutes : minutes;
  }
}

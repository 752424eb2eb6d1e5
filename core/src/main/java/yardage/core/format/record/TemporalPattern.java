package yardage.core.format.record;

import java.util.regex.Matcher;
import java.util.regex.Pattern;
import yardage.core.column.Type;

/**
 * A compiled date or time pattern: runs of {@code y M d H h m s S} are that many digits ({@code S}
 * is a fraction), {@code MMM} and {@code MMMM} an English month's name, {@code a} is AM or PM,
 * {@code X} an offset such as {@code Z} or {@code +01:00}, which is taken off so that the time is
 * UTC; anything else stands for itself, and quotes may enclose letters. The words {@code
 * epoch-seconds} and {@code epoch-millis} are numbers since 1970, which may have a fraction. Reads
 * bytes without making objects.
 */
public final class TemporalPattern {
  public static final long INVALID = IsoTime.INVALID;

  private static final byte[][] MONTHS = {
    ascii("january"), ascii("february"), ascii("march"), ascii("april"), ascii("may"),
    ascii("june"), ascii("july"), ascii("august"), ascii("september"), ascii("october"),
    ascii("november"), ascii("december")
  };
  private static final int MOST_EPOCH_DIGITS = 24;
  private static final int MOST_EPOCH_WHOLE = 14;
  private static final Pattern TWO_DIGITS = Pattern.compile("(?<!y)yy\\(([1-9]\\d{3})\\)");

  private final byte[] units;
  private final int[] widths;
  private final Type.Kind kind;
  private final long epochMicros;

  /** The year that the two digits of its own mean, and the 99 behind it. */
  private final int firstYear;

  private TemporalPattern(
      byte[] units, int[] widths, Type.Kind kind, long epochMicros, int firstYear) {
    this.firstYear = firstYear;
    this.units = units;
    this.widths = widths;
    this.kind = kind;
    this.epochMicros = epochMicros;
  }

  private static byte[] ascii(String text) {
    return text.getBytes(java.nio.charset.StandardCharsets.US_ASCII);
  }

  /**
   * @throws IllegalArgumentException saying what is wrong with the pattern
   */
  static TemporalPattern compile(String written, Type type) {
    Matcher years = TWO_DIGITS.matcher(written);
    int firstYear = years.find() ? Integer.parseInt(years.group(1)) : 0;
    String pattern = firstYear == 0 ? written : years.replaceFirst("yy");
    boolean ofDay = type.kind() == Type.Kind.TIME;
    if (!ofDay && !type.hasDays()) {
      throw new IllegalArgumentException("Only dates, times and binary values have a format");
    }
    if (pattern.equals("epoch-seconds") || pattern.equals("epoch-millis")) {
      if (ofDay) {
        throw new IllegalArgumentException(
            "Format [%s] is a point in time, and no time of day: make the column a timestamp"
                .formatted(pattern));
      }
      return new TemporalPattern(
          new byte[0],
          new int[0],
          type.kind(),
          pattern.equals("epoch-millis") ? 1000 : 1_000_000,
          0);
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
    if (ofDay) {
      checkTimeOfDay(pattern, units, n);
    } else if (pattern.indexOf('y') < 0 || pattern.indexOf('M') < 0 || pattern.indexOf('d') < 0) {
      throw new IllegalArgumentException(
          "Pattern [%s] must have year (y), month (M) and day (d)".formatted(pattern));
    }
    for (int u = 0; u < n; u++) {
      if (units[u] == 'y' && widths[u] > 0 && widths[u] < 4 && firstYear == 0) {
        throw new IllegalArgumentException(
            "Pattern [%s] has years of two digits and does not say of which hundred years: write the first of them, as in %s, which reads 50 as 1950 and 49 as 2049"
                .formatted(written, written.replaceFirst("y+", "yy(1950)")));
      }
    }
    return new TemporalPattern(
        java.util.Arrays.copyOf(units, n),
        java.util.Arrays.copyOf(widths, n),
        type.kind(),
        0,
        firstYear);
  }

  private static void checkTimeOfDay(String pattern, byte[] units, int n) {
    String said = new String(units, 0, n, java.nio.charset.StandardCharsets.US_ASCII);
    if (said.indexOf('H') < 0 && said.indexOf('h') < 0) {
      throw new IllegalArgumentException(
          "Pattern [%s] must have hours (H, or h with a)".formatted(pattern));
    }
    for (int u = 0; u < n; u++) {
      if ("yMdX".indexOf(units[u]) >= 0) {
        throw new IllegalArgumentException(
            "[%s] cannot stand in the pattern [%s] of a time of day: use H h m s S a"
                .formatted((char) units[u], pattern));
      }
    }
  }

  /** Whether the text says which point in time it is, in whatever zone. */
  boolean saysZone() {
    return epochMicros > 0
        || new String(units, java.nio.charset.StandardCharsets.US_ASCII).indexOf('X') >= 0;
  }

  /**
   * Days or microseconds since 1970-01-01, or microseconds since midnight, or {@link #INVALID}
   * where the text is no such date.
   */
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
        int length = IsoTime.offsetLength(b, at, end);
        if (length == 0) {
          return INVALID;
        }
        offsetMinutes = IsoTime.offsetMinutes(b, at, length);
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
        case 'y' -> year = digits == 2 ? firstYear + Math.floorMod(v - firstYear, 100) : v;
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
    if (kind == Type.Kind.TIME) {
      return ((hour * 60L + minute) * 60 + second) * 1_000_000L + micros;
    }
    int days = IsoTime.epochDay(year, month, day);
    if (days == Integer.MIN_VALUE) {
      return INVALID;
    }
    return kind != Type.Kind.DATE
        ? days * IsoTime.MICROS_OF_DAY
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
    int point = at;
    for (; point < end && b[point] != '.'; point++) {
      if (b[point] < '0' || b[point] > '9') {
        return INVALID;
      }
      v = v * 10 + b[point] - '0';
    }
    // A fraction of the unit, down to microseconds; finer digits are cut.
    if (point - at > MOST_EPOCH_WHOLE) {
      return INVALID;
    }
    long fraction = 0;
    long unit = epochMicros;
    for (int i = point + 1; i < end; i++) {
      if (b[i] < '0' || b[i] > '9') {
        return INVALID;
      }
      unit /= 10;
      fraction += (b[i] - '0') * unit;
    }
    if (point == at || point + 1 == end || v > Long.MAX_VALUE / epochMicros - 1) {
      return INVALID;
    }
    long micros = v * epochMicros + fraction;
    micros = negative ? -micros : micros;
    return kind != Type.Kind.DATE ? micros : Math.floorDiv(micros, IsoTime.MICROS_OF_DAY);
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
}

package yardage.core.column;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.ZoneOffset;

/** Single values at the edges: boxing for display and back. Not for hot loops. */
public final class Values {
  private static final long MICROS_PER_SECOND = 1_000_000L;

  private static final int NANOS_PER_MICRO = 1000;

  private static final long[] POWERS = new long[19];

  static {
    POWERS[0] = 1;
    for (int i = 1; i < POWERS.length; i++) {
      POWERS[i] = POWERS[i - 1] * 10;
    }
  }

  private Values() {}

  /** Ten to the power of {@code exponent}, which must be 0 to 18. */
  public static long powerOfTen(int exponent) {
    return POWERS[exponent];
  }

  /** Quotient rounded half away from zero. */
  public static long divideHalfUp(long value, long divisor) {
    long quotient = value / divisor;
    long rest = Math.abs(value % divisor);
    long half = Math.abs(divisor) - rest;
    return rest >= half ? quotient + ((value < 0) == (divisor < 0) ? 1 : -1) : quotient;
  }

  /** The number of a row of ints or longs, as it is held; any where it is null. */
  public static long whole(Column column, int row) {
    return column instanceof IntColumn ints
        ? ints.values()[row]
        : ((LongColumn) column).values()[row];
  }

  public static Object boxed(Type type, long value) {
    return switch (type.kind()) {
      case DECIMAL -> BigDecimal.valueOf(value, type.scale());
      case TIME -> LocalTime.ofNanoOfDay(value * NANOS_PER_MICRO);
      case TIMESTAMP -> timestamp(value);
      case TIMESTAMP_TZ -> timestamp(value).toInstant(ZoneOffset.UTC);
      default -> value;
    };
  }

  public static LocalDateTime timestamp(long micros) {
    return LocalDateTime.ofEpochSecond(
        Math.floorDiv(micros, MICROS_PER_SECOND),
        (int) Math.floorMod(micros, MICROS_PER_SECOND) * NANOS_PER_MICRO,
        ZoneOffset.UTC);
  }

  /** Since midnight. */
  public static long micros(LocalTime time) {
    return time.toNanoOfDay() / NANOS_PER_MICRO;
  }

  public static long micros(Instant time) {
    return micros(LocalDateTime.ofInstant(time, ZoneOffset.UTC));
  }

  public static long micros(LocalDateTime time) {
    return Math.addExact(
        Math.multiplyExact(time.toEpochSecond(ZoneOffset.UTC), MICROS_PER_SECOND),
        time.getNano() / NANOS_PER_MICRO);
  }

  /**
   * As people and delimited files read it: ISO dates, a blank between date and time, {@code +00:00}
   * behind a time with a zone, no exponent in decimals, nested values as JSON.
   */
  public static String text(Object value) {
    if (value instanceof java.util.Map || value instanceof java.util.List) {
      StringBuilder out = new StringBuilder();
      Json.write(value, out);
      return out.toString();
    }
    if (value instanceof BigDecimal d) {
      return d.toPlainString();
    }
    if (value instanceof LocalDateTime t) {
      return t.toLocalDate() + " " + text(t.toLocalTime());
    }
    if (value instanceof LocalTime t) {
      String s = t.toString();
      return s.length() == 5 ? s + ":00" : s;
    }
    if (value instanceof Instant t) {
      return text(LocalDateTime.ofInstant(t, ZoneOffset.UTC)) + "+00:00";
    }
    return String.valueOf(value);
  }

  /** Compares two values of one type that has an order; neither is null. */
  public static int compare(Column a, int row, Column b, int otherRow) {
    if (a instanceof IntColumn x) {
      return Integer.compare(x.values()[row], ((IntColumn) b).values()[otherRow]);
    } else if (a instanceof LongColumn x) {
      return Long.compare(x.values()[row], ((LongColumn) b).values()[otherRow]);
    } else if (a instanceof WideColumn x) {
      WideColumn y = (WideColumn) b;
      return Int128.compare(x.high()[row], x.low()[row], y.high()[otherRow], y.low()[otherRow]);
    } else if (a instanceof DoubleColumn x) {
      return Double.compare(x.values()[row], ((DoubleColumn) b).values()[otherRow]);
    } else if (a instanceof BooleanColumn x) {
      return Byte.compare(x.values()[row], ((BooleanColumn) b).values()[otherRow]);
    }
    return ((TextColumn) a).compareAt(row, (TextColumn) b, otherRow);
  }
}

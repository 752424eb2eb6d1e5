package yardage.core.expr;

import java.time.LocalDate;
import java.time.temporal.ChronoUnit;
import yardage.core.column.*;

/** Dates and timestamps in the proleptic Gregorian calendar, as ISO 8601 has it. */
public final class Dates {
  static final long MICROS_PER_DAY = 86_400_000_000L;

  private Dates() {}

  static LongColumn toTimestamp(IntColumn dates) {
    long[] out = new long[dates.size()];
    for (int i = 0; i < out.length; i++) {
      out[i] = dates.values()[i] * MICROS_PER_DAY;
    }
    return new LongColumn(Type.TIMESTAMP, out, dates.nulls(), out.length);
  }

  /** Dates as timestamps; times of all kinds as they are. */
  static LongColumn times(Column column) {
    return column instanceof IntColumn days ? toTimestamp(days) : (LongColumn) column;
  }

  static IntColumn toDate(LongColumn timestamps) {
    int[] out = new int[timestamps.size()];
    for (int i = 0; i < out.length; i++) {
      out[i] = (int) Math.floorDiv(timestamps.values()[i], MICROS_PER_DAY);
    }
    return new IntColumn(Type.DATE, out, timestamps.nulls(), out.length);
  }

  static LongColumn toTime(LongColumn timestamps) {
    long[] out = new long[timestamps.size()];
    for (int i = 0; i < out.length; i++) {
      out[i] = Math.floorMod(timestamps.values()[i], MICROS_PER_DAY);
    }
    return new LongColumn(Type.TIME, out, timestamps.nulls(), out.length);
  }

  /** A part of a date or time. */
  public enum Unit {
    YEAR(12, 0),
    QUARTER(3, 0),
    MONTH(1, 0),
    WEEK(0, 7 * MICROS_PER_DAY),
    DAY(0, MICROS_PER_DAY),
    DAY_OF_WEEK(0, 0),
    ISO_DAY_OF_WEEK(0, 0),
    DAY_OF_YEAR(0, 0),
    HOUR(0, 3_600_000_000L),
    MINUTE(0, 60_000_000L),
    SECOND(0, 1_000_000L),
    MILLISECOND(0, 1_000L),
    MICROSECOND(0, 1L),
    /** Whole seconds since 1970. */
    EPOCH(0, 0),
    /** The year that an ISO week belongs to. */
    ISO_YEAR(0, 0),
    /** A week that begins on Monday. */
    ISO_WEEK(0, 0);

    private final int months;
    private final long micros;

    Unit(int months, long micros) {
      this.months = months;
      this.micros = micros;
    }

    /** The months of one; 0 where it is not made of months. */
    public int months() {
      return months;
    }

    /** The microseconds of one; 0 where it is not made of those. */
    public long micros() {
      return micros;
    }

    /** Whether times are apart by so many, and not only have one. */
    public boolean isMeasure() {
      return months > 0 || micros > 0;
    }
  }

  /**
   * {@code EXTRACT(unit FROM value)}, as a bigint. Weeks are ISO weeks; day-of-week 1 is Sunday.
   */
  public record Extract(Unit unit, Expression operand) implements Expression {
    @Override
    public Type type() {
      return Type.BIGINT;
    }

    @Override
    public Column evaluate(Batch batch) {
      Column column = operand.evaluate(batch);
      long[] out = new long[column.size()];
      int lastDay = Integer.MIN_VALUE;
      long lastPart = 0;
      for (int i = 0; i < out.length; i++) {
        if (column.isNull(i)) {
          continue;
        }
        if (column instanceof LongColumn time && isOfTime(unit)) {
          out[i] = ofTime(unit, time.values()[i]);
        } else {
          int day =
              column instanceof IntColumn date
                  ? date.values()[i]
                  : (int) Math.floorDiv(((LongColumn) column).values()[i], MICROS_PER_DAY);
          // Neighbouring rows tend to share their day.
          if (day != lastDay) {
            lastDay = day;
            lastPart = part(unit, day);
          }
          out[i] = lastPart;
        }
      }
      return new LongColumn(Type.BIGINT, out, column.nulls(), out.length);
    }
  }

  /** {@code FLOOR(value TO unit)}: the first day, or instant, of the unit that holds the value. */
  public record Floor(Unit unit, Expression operand) implements Expression {
    @Override
    public Type type() {
      return operand.type();
    }

    @Override
    public Column evaluate(Batch batch) {
      Column column = operand.evaluate(batch);
      if (column instanceof IntColumn dates) {
        int[] out = new int[column.size()];
        for (int i = 0; i < out.length; i++) {
          out[i] = column.isNull(i) ? 0 : floorDay(unit, dates.values()[i]);
        }
        return new IntColumn(Type.DATE, out, column.nulls(), out.length);
      }
      long[] times = ((LongColumn) column).values();
      long[] out = new long[column.size()];
      for (int i = 0; i < out.length; i++) {
        if (column.isNull(i)) {
          continue;
        }
        out[i] =
            switch (unit) {
              case HOUR -> times[i] - Math.floorMod(times[i], 3_600_000_000L);
              case MINUTE -> times[i] - Math.floorMod(times[i], 60_000_000L);
              case SECOND -> times[i] - Math.floorMod(times[i], 1_000_000L);
              case MILLISECOND -> times[i] - Math.floorMod(times[i], 1_000L);
              case MICROSECOND -> times[i];
              default ->
                  floorDay(unit, (int) Math.floorDiv(times[i], MICROS_PER_DAY)) * MICROS_PER_DAY;
            };
      }
      return new LongColumn(column.type(), out, column.nulls(), out.length);
    }
  }

  /** Whether a unit is of the clock, and not of the calendar. */
  public static boolean isOfTime(Unit unit) {
    return switch (unit) {
      case HOUR, MINUTE, SECOND, MILLISECOND, MICROSECOND, EPOCH -> true;
      case YEAR,
          QUARTER,
          MONTH,
          WEEK,
          DAY,
          DAY_OF_WEEK,
          ISO_DAY_OF_WEEK,
          DAY_OF_YEAR,
          ISO_YEAR,
          ISO_WEEK ->
          false;
    };
  }

  /** Milliseconds and microseconds count from the last full minute, as seconds do. */
  private static long ofTime(Unit unit, long micros) {
    long ofDay = Math.floorMod(micros, MICROS_PER_DAY);
    return switch (unit) {
      case HOUR -> ofDay / 3_600_000_000L;
      case MINUTE -> ofDay / 60_000_000L % 60;
      case SECOND -> ofDay / 1_000_000L % 60;
      case MILLISECOND -> ofDay / 1_000L % 60_000;
      case MICROSECOND -> ofDay % 60_000_000L;
      default -> Math.floorDiv(micros, 1_000_000L);
    };
  }

  /**
   * A date or time moved by so many times some months and microseconds; a day of the month that is
   * not there becomes the last one, and a time of day goes on at midnight.
   */
  public record Shift(Expression operand, Expression count, int months, long micros)
      implements Expression {
    /** Moved by a constant number of months and microseconds. */
    public Shift(Expression operand, int months, long micros) {
      this(operand, Literal.of(Type.INT, 1), months, micros);
    }

    @Override
    public Type type() {
      return operand.type();
    }

    @Override
    public Column evaluate(Batch batch) {
      Column column = operand.evaluate(batch);
      LongColumn counts = (LongColumn) Numbers.convert(count.evaluate(batch), Type.BIGINT);
      long[] nulls = Bits.or(column.nulls(), counts.nulls());
      int n = column.size();
      boolean isDate = column instanceof IntColumn;
      boolean isTime = column.type().kind() == Type.Kind.TIME;
      int[] days = new int[isDate ? n : 0];
      long[] times = new long[isDate ? 0 : n];
      for (int i = 0; i < n; i++) {
        if (column.isNull(i) || counts.isNull(i)) {
          continue;
        }
        long by = counts.values()[i];
        try {
          long more = Math.multiplyExact(by, micros);
          long moreMonths = Math.multiplyExact(by, (long) months);
          if (isDate) {
            LocalDate day = LocalDate.ofEpochDay(((IntColumn) column).values()[i]);
            days[i] =
                Math.toIntExact(day.plusMonths(moreMonths).toEpochDay() + more / MICROS_PER_DAY);
          } else if (isTime) {
            long at = ((LongColumn) column).values()[i];
            times[i] = Math.floorMod(at + more % MICROS_PER_DAY, MICROS_PER_DAY);
          } else {
            times[i] =
                Math.addExact(
                    Values.micros(
                        Values.timestamp(((LongColumn) column).values()[i]).plusMonths(moreMonths)),
                    more);
          }
        } catch (ArithmeticException | java.time.DateTimeException e) {
          throw new ExpressionException(
              "[%s] moved by that interval is out of range"
                  .formatted(Values.text(column.value(i))));
        }
      }
      return isDate
          ? new IntColumn(Type.DATE, days, nulls, n)
          : new LongColumn(column.type(), times, nulls, n);
    }
  }

  /** How many whole units there are from one date or time to another; negative backwards. */
  public record Between(Unit unit, Expression from, Expression to) implements Expression {
    @Override
    public Type type() {
      return Type.BIGINT;
    }

    @Override
    public Column evaluate(Batch batch) {
      LongColumn a = times(from.evaluate(batch));
      LongColumn b = times(to.evaluate(batch));
      long[] out = new long[a.size()];
      for (int i = 0; i < out.length; i++) {
        if (!a.isNull(i) && !b.isNull(i)) {
          out[i] = between(a.values()[i], b.values()[i]);
        }
      }
      return new LongColumn(Type.BIGINT, out, Bits.or(a.nulls(), b.nulls()), out.length);
    }

    private long between(long a, long b) {
      return switch (unit) {
        case YEAR -> ChronoUnit.YEARS.between(Values.timestamp(a), Values.timestamp(b));
        case QUARTER -> ChronoUnit.MONTHS.between(Values.timestamp(a), Values.timestamp(b)) / 3;
        case MONTH -> ChronoUnit.MONTHS.between(Values.timestamp(a), Values.timestamp(b));
        case WEEK -> (b - a) / (7 * MICROS_PER_DAY);
        case DAY -> (b - a) / MICROS_PER_DAY;
        case HOUR -> (b - a) / 3_600_000_000L;
        case MINUTE -> (b - a) / 60_000_000L;
        case SECOND -> (b - a) / 1_000_000L;
        case MILLISECOND -> (b - a) / 1_000L;
        case MICROSECOND -> b - a;
        case DAY_OF_WEEK, ISO_DAY_OF_WEEK, DAY_OF_YEAR, EPOCH, ISO_YEAR, ISO_WEEK ->
            throw new ExpressionException("Times are not apart by units of " + unit);
      };
    }
  }

  /** {@code LAST_DAY(value)}: the last day of its month. */
  public record LastDay(Expression operand) implements Expression {
    @Override
    public Type type() {
      return Type.DATE;
    }

    @Override
    public Column evaluate(Batch batch) {
      IntColumn days = (IntColumn) Cast.to(operand.evaluate(batch), Type.DATE);
      int[] out = new int[days.size()];
      for (int i = 0; i < out.length; i++) {
        if (!days.isNull(i)) {
          LocalDate d = LocalDate.ofEpochDay(days.values()[i]);
          out[i] = (int) d.withDayOfMonth(d.lengthOfMonth()).toEpochDay();
        }
      }
      return new IntColumn(Type.DATE, out, days.nulls(), out.length);
    }
  }

  static long part(Unit unit, int epochDay) {
    LocalDate d = LocalDate.ofEpochDay(epochDay);
    return switch (unit) {
      case YEAR -> d.getYear();
      case QUARTER -> (d.getMonthValue() + 2) / 3;
      case MONTH -> d.getMonthValue();
      case WEEK, ISO_WEEK -> d.get(java.time.temporal.IsoFields.WEEK_OF_WEEK_BASED_YEAR);
      case DAY -> d.getDayOfMonth();
      case DAY_OF_WEEK -> d.getDayOfWeek().getValue() % 7 + 1;
      case ISO_DAY_OF_WEEK -> d.getDayOfWeek().getValue();
      case DAY_OF_YEAR -> d.getDayOfYear();
      case ISO_YEAR -> d.get(java.time.temporal.IsoFields.WEEK_BASED_YEAR);
      case EPOCH -> epochDay * 86_400L;
      case HOUR, MINUTE, SECOND, MILLISECOND, MICROSECOND -> 0;
    };
  }

  static int floorDay(Unit unit, int epochDay) {
    LocalDate d = LocalDate.ofEpochDay(epochDay);
    LocalDate floor =
        switch (unit) {
          case YEAR -> d.withDayOfYear(1);
          case QUARTER -> d.withDayOfMonth(1).withMonth((d.getMonthValue() - 1) / 3 * 3 + 1);
          case MONTH -> d.withDayOfMonth(1);
          case WEEK -> d.minusDays(d.getDayOfWeek().getValue() % 7);
          case ISO_WEEK -> d.minusDays(d.getDayOfWeek().getValue() - 1);
          default -> d;
        };
    return (int) floor.toEpochDay();
  }
}

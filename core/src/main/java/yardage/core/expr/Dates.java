package yardage.core.expr;

import java.time.LocalDate;
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

  static IntColumn toDate(LongColumn timestamps) {
    int[] out = new int[timestamps.size()];
    for (int i = 0; i < out.length; i++) {
      out[i] = (int) Math.floorDiv(timestamps.values()[i], MICROS_PER_DAY);
    }
    return new IntColumn(Type.DATE, out, timestamps.nulls(), out.length);
  }

  /** A part of a date or time. */
  public enum Unit {
    YEAR,
    QUARTER,
    MONTH,
    WEEK,
    DAY,
    DAY_OF_WEEK,
    ISO_DAY_OF_WEEK,
    DAY_OF_YEAR,
    HOUR,
    MINUTE,
    SECOND
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
        if (column instanceof LongColumn time && unit.compareTo(Unit.HOUR) >= 0) {
          long ofDay = Math.floorMod(time.values()[i], MICROS_PER_DAY);
          out[i] =
              unit == Unit.HOUR
                  ? ofDay / 3_600_000_000L
                  : unit == Unit.MINUTE ? ofDay / 60_000_000L % 60 : ofDay / 1_000_000L % 60;
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
              default ->
                  floorDay(unit, (int) Math.floorDiv(times[i], MICROS_PER_DAY)) * MICROS_PER_DAY;
            };
      }
      return new LongColumn(Type.TIMESTAMP, out, column.nulls(), out.length);
    }
  }

  /** A date or timestamp moved by a constant number of months and microseconds. */
  public record Shift(Expression operand, int months, long micros) implements Expression {
    @Override
    public Type type() {
      return operand.type();
    }

    @Override
    public Column evaluate(Batch batch) {
      Column column = operand.evaluate(batch);
      int n = column.size();
      if (column instanceof IntColumn dates) {
        int[] out = new int[n];
        for (int i = 0; i < n; i++) {
          if (!column.isNull(i)) {
            out[i] =
                Math.toIntExact(
                    LocalDate.ofEpochDay(dates.values()[i]).plusMonths(months).toEpochDay()
                        + micros / MICROS_PER_DAY);
          }
        }
        return new IntColumn(Type.DATE, out, column.nulls(), n);
      }
      long[] out = new long[n];
      for (int i = 0; i < n; i++) {
        if (!column.isNull(i)) {
          out[i] =
              Values.micros(Values.timestamp(((LongColumn) column).values()[i]).plusMonths(months))
                  + micros;
        }
      }
      return new LongColumn(Type.TIMESTAMP, out, column.nulls(), n);
    }
  }

  static long part(Unit unit, int epochDay) {
    LocalDate d = LocalDate.ofEpochDay(epochDay);
    return switch (unit) {
      case YEAR -> d.getYear();
      case QUARTER -> (d.getMonthValue() + 2) / 3;
      case MONTH -> d.getMonthValue();
      case WEEK -> d.get(java.time.temporal.IsoFields.WEEK_OF_WEEK_BASED_YEAR);
      case DAY -> d.getDayOfMonth();
      case DAY_OF_WEEK -> d.getDayOfWeek().getValue() % 7 + 1;
      case ISO_DAY_OF_WEEK -> d.getDayOfWeek().getValue();
      case DAY_OF_YEAR -> d.getDayOfYear();
      case HOUR, MINUTE, SECOND -> 0;
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
          default -> d;
        };
    return (int) floor.toEpochDay();
  }
}

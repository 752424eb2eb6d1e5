package yardage.core.star;

import java.time.DayOfWeek;
import java.time.LocalDate;
import java.time.format.TextStyle;
import java.time.temporal.IsoFields;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import yardage.core.column.BooleanColumn;
import yardage.core.column.Column;
import yardage.core.column.IntColumn;
import yardage.core.column.Schema;
import yardage.core.column.TextBuilder;
import yardage.core.column.Type;

/**
 * A row for each day of a range, with weeks as ISO 8601 counts them and a fiscal year that starts
 * with a month. The key is the day as a number, {@code 20260301}, so that it can be read.
 *
 * @param fiscalStart the month, 1 to 12; a fiscal year is named by the calendar year it ends in
 */
public record Calendar(LocalDate from, LocalDate to, int fiscalStart) {

  public static final Schema SCHEMA =
      Schema.of(
          new Schema.Field("day_key", Type.INT, false),
          new Schema.Field("calendar_day", Type.DATE, false),
          new Schema.Field("year_number", Type.INT, false),
          new Schema.Field("quarter_number", Type.INT, false),
          new Schema.Field("month_number", Type.INT, false),
          new Schema.Field("month_name", Type.VARCHAR, false),
          new Schema.Field("day_of_month", Type.INT, false),
          new Schema.Field("day_of_year", Type.INT, false),
          new Schema.Field("iso_year", Type.INT, false),
          new Schema.Field("iso_week", Type.INT, false),
          new Schema.Field("day_of_week", Type.INT, false),
          new Schema.Field("weekday_name", Type.VARCHAR, false),
          new Schema.Field("is_weekend", Type.BOOLEAN, false),
          new Schema.Field("is_month_end", Type.BOOLEAN, false),
          new Schema.Field("fiscal_year", Type.INT, false),
          new Schema.Field("fiscal_quarter", Type.INT, false),
          new Schema.Field("fiscal_month", Type.INT, false));

  public int days() {
    return (int) (to.toEpochDay() - from.toEpochDay()) + 1;
  }

  public List<Column> columns() {
    int n = days();
    int[][] ints = new int[13][n];
    byte[][] truths = new byte[2][n];
    TextBuilder months = new TextBuilder();
    TextBuilder weekdays = new TextBuilder();
    for (int i = 0; i < n; i++) {
      LocalDate d = from.plusDays(i);
      int fiscalMonth = Math.floorMod(d.getMonthValue() - fiscalStart, 12) + 1;
      boolean nextYear = fiscalStart > 1 && d.getMonthValue() >= fiscalStart;
      int[] row = {
        d.getYear() * 10_000 + d.getMonthValue() * 100 + d.getDayOfMonth(),
        (int) d.toEpochDay(),
        d.getYear(),
        d.get(IsoFields.QUARTER_OF_YEAR),
        d.getMonthValue(),
        d.getDayOfMonth(),
        d.getDayOfYear(),
        d.get(IsoFields.WEEK_BASED_YEAR),
        d.get(IsoFields.WEEK_OF_WEEK_BASED_YEAR),
        d.getDayOfWeek().getValue(),
        d.getYear() + (nextYear ? 1 : 0),
        (fiscalMonth + 2) / 3,
        fiscalMonth
      };
      for (int c = 0; c < row.length; c++) {
        ints[c][i] = row[c];
      }
      months.append(d.getMonth().getDisplayName(TextStyle.FULL, Locale.ENGLISH));
      weekdays.append(d.getDayOfWeek().getDisplayName(TextStyle.FULL, Locale.ENGLISH));
      truths[0][i] = (byte) (d.getDayOfWeek().compareTo(DayOfWeek.SATURDAY) >= 0 ? 1 : 0);
      truths[1][i] = (byte) (d.getDayOfMonth() == d.lengthOfMonth() ? 1 : 0);
    }
    List<Column> out = new ArrayList<>();
    int next = 0;
    for (Schema.Field f : SCHEMA.fields()) {
      switch (f.type().kind()) {
        case VARCHAR -> out.add(f.name().equals("month_name") ? months.build() : weekdays.build());
        case BOOLEAN ->
            out.add(new BooleanColumn(truths[f.name().equals("is_weekend") ? 0 : 1], null, n));
        default -> out.add(new IntColumn(f.type(), ints[next++], null, n));
      }
    }
    return out;
  }
}

package yardage.core.star;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.exec.ScanSource;
import yardage.core.exec.StepTally;
import yardage.core.plan.ScanDescription;

/**
 * A calendar's days as rows.
 *
 * @param columns ordinals in {@link Calendar#SCHEMA} of the columns to give
 */
public record CalendarDays(Calendar calendar, int[] columns) implements ScanDescription {
  public CalendarDays {
    columns = columns.clone();
  }

  @Override
  public String words() {
    return "calendar from %s to %s, columns %s"
        .formatted(calendar.from(), calendar.to(), Arrays.toString(columns));
  }

  public ScanSource open(StepTally tally) {
    return () ->
        List.of(
            (worker, out) -> {
              List<Column> all = calendar.columns();
              tally.rowsIn.add(calendar.days());
              out.accept(
                  new Batch(
                      Arrays.stream(columns).mapToObj(all::get).toList(), calendar.days(), 0));
            });
  }
}

package yardage.core.pipeline;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Schema;
import yardage.core.exec.PhysicalNode;
import yardage.core.exec.ScanSource;
import yardage.core.exec.StepTally;
import yardage.core.lake.ColumnPredicate;
import yardage.core.sql.Relation;
import yardage.core.star.Calendar;

/** A calendar's days as rows. */
record CalendarRelation(Calendar calendar) implements Relation {
  @Override
  public Schema schema() {
    return Calendar.SCHEMA;
  }

  @Override
  public double rowCount() {
    return calendar.days();
  }

  @Override
  public PhysicalNode read(int[] columns, List<ColumnPredicate> predicates, StepTally tally) {
    ScanSource source =
        () ->
            List.of(
                (worker, out) -> {
                  List<Column> all = calendar.columns();
                  List<Column> wanted = new ArrayList<>();
                  for (int c : columns) {
                    wanted.add(all.get(c));
                  }
                  tally.rowsIn.add(calendar.days());
                  out.accept(new Batch(wanted, calendar.days(), 0));
                });
    return new PhysicalNode.Scan(source, schema().project(columns), tally);
  }
}

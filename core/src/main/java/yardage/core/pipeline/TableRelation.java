package yardage.core.pipeline;

import java.time.Instant;
import java.util.List;
import yardage.core.column.Schema;
import yardage.core.exec.PhysicalNode;
import yardage.core.exec.StepTally;
import yardage.core.lake.ColumnPredicate;
import yardage.core.lake.LakeTable;
import yardage.core.sql.Relation;

/**
 * A table as SQL reads it: the columns that are used, from the files that can hold what is asked
 * for.
 */
public record TableRelation(LakeTable table) implements Relation {
  @Override
  public Schema schema() {
    return table.schema();
  }

  @Override
  public double rowCount() {
    return table.rowCount();
  }

  @Override
  public Relation asOf(Instant time) {
    return new TableRelation(table.asOf(time));
  }

  @Override
  public PhysicalNode read(int[] columns, List<ColumnPredicate> predicates, StepTally tally) {
    return new PhysicalNode.Scan(
        table.scan(columns, predicates, tally), schema().project(columns), tally);
  }
}

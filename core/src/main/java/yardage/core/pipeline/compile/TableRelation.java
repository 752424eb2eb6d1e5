package yardage.core.pipeline.compile;

import java.time.Instant;
import java.util.List;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import yardage.core.column.Schema;
import yardage.core.lake.LakeTable;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;
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
  public OptionalLong exactRowCount() {
    return table.exactRowCount();
  }

  @Override
  public OptionalDouble valueCount(int column) {
    return table.valueCount(column);
  }

  @Override
  public Relation asOf(Instant time) {
    return new TableRelation(table.asOf(time));
  }

  @Override
  public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
    return new PlanNode.Scan(table.files(columns, predicates), schema().project(columns), step);
  }
}

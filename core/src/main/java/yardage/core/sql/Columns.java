package yardage.core.sql;

import java.util.List;
import yardage.core.column.Schema;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;

/** Columns without rows: what a step or a condition is checked against before there is a run. */
public record Columns(Schema schema) implements Relation {
  private static final double UNKNOWN_ROWS = 100_000;

  @Override
  public double rowCount() {
    return UNKNOWN_ROWS;
  }

  @Override
  public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
    throw new IllegalStateException("Columns that are only checked cannot be read");
  }
}

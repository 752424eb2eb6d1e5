package yardage.service.query;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.Schema;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;

/**
 * A relation that is taken to have some of its columns only, to see what would hold without the
 * others.
 */
record FewerColumns(Relation whole, Schema schema) implements Relation {

  @Override
  public double rowCount() {
    return whole.rowCount();
  }

  @Override
  public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
    int[] there =
        Arrays.stream(columns).map(c -> whole.schema().indexOf(schema.field(c).name())).toArray();
    // Conditions only spare reading, and they count columns as they are here.
    return whole.read(there, List.of(), step);
  }
}

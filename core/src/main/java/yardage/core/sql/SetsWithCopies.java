package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Intersect;
import org.apache.calcite.rel.core.Minus;
import org.apache.calcite.rel.core.SetOp;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.tools.RelBuilder;

/**
 * {@code INTERSECT ALL} and {@code EXCEPT ALL}: the copies of a row are numbered, and the numbered
 * rows are compared as those of sets.
 */
final class SetsWithCopies extends RelHomogeneousShuttle {
  private final RelBuilder builder;

  SetsWithCopies(RelBuilder builder) {
    this.builder = builder;
  }

  @Override
  public RelNode visit(RelNode other) {
    RelNode node = super.visit(other);
    boolean counts = node instanceof Intersect || node instanceof Minus;
    return counts && ((SetOp) node).all ? numbered((SetOp) node) : node;
  }

  private RelNode numbered(SetOp set) {
    for (RelNode input : set.getInputs()) {
      builder.push(input);
      List<RexNode> columns = new ArrayList<>(builder.fields());
      columns.add(
          builder
              .aggregateCall(SqlStdOperatorTable.ROW_NUMBER)
              .over()
              .partitionBy(builder.fields())
              .toRex());
      builder.project(columns, List.of(), true);
    }
    int inputs = set.getInputs().size();
    if (set instanceof Minus) {
      builder.minus(false, inputs);
    } else {
      builder.intersect(false, inputs);
    }
    int width = set.getRowType().getFieldCount();
    return builder
        .project(builder.fields().subList(0, width), set.getRowType().getFieldNames(), true)
        .build();
  }
}

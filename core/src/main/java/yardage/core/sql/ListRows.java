package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Correlate;
import org.apache.calcite.rel.core.CorrelationId;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.JoinRelType;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.Uncollect;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rex.RexCorrelVariable;
import org.apache.calcite.rex.RexFieldAccess;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexShuttle;
import org.apache.calcite.rex.RexSubQuery;
import org.apache.calcite.sql.validate.SqlValidatorUtil;
import org.apache.calcite.tools.RelBuilder;
import yardage.core.column.Schema;
import yardage.core.plan.PlanNode;
import yardage.core.step.UnnestStep;

/**
 * {@code UNNEST} of a list or a map (ISO SQL:2016, 7.6): a row for each element, beside the row
 * that the list stands in, as {@link UnnestStep} makes them.
 */
final class ListRows {
  private final RelBuilder builder;

  ListRows(RelBuilder builder) {
    this.builder = builder;
  }

  /** The rows of a list that depends on no other row; empty when it does. */
  Optional<RelNode> alone(Uncollect uncollect) {
    if (!RelOptUtil.getVariablesUsed(uncollect.getInput()).isEmpty()) {
      return Optional.empty();
    }
    return Optional.of(elements(uncollect.getInput(), one(uncollect), false));
  }

  /** Rows beside those of their lists; empty when the right side is something else. */
  Optional<RelNode> beside(Correlate correlate) {
    List<RelNode> above = new ArrayList<>();
    RelNode right = correlate.getRight();
    while (right instanceof Project || right instanceof Filter) {
      above.add(0, right);
      right = right.getInput(0);
    }
    if (!(right instanceof Uncollect uncollect)
        || !(uncollect.getInput() instanceof Project lists)
        || !RelOptUtil.getVariablesUsed(lists.getInput()).isEmpty()) {
      return Optional.empty();
    }
    boolean keepsLeft = correlate.getJoinType() == JoinRelType.LEFT;
    boolean plain = correlate.getJoinType() == JoinRelType.INNER || keepsLeft;
    if (!plain || keepsLeft && above.stream().anyMatch(Filter.class::isInstance)) {
      throw new UnsupportedSqlException(
          "UNNEST with a condition of its own beside LEFT JOIN is not supported; put the condition into the ON of a query around it, or use a comma");
    }
    one(uncollect);
    int width = correlate.getLeft().getRowType().getFieldCount();
    Shifted shifted = new Shifted(correlate.getCorrelationId(), width);
    builder.push(correlate.getLeft());
    List<RexNode> columns = new ArrayList<>(builder.fields());
    columns.add(lists.getProjects().get(0).accept(shifted));
    RelNode rows = elements(builder.project(columns).build(), uncollect, keepsLeft);
    for (RelNode node : above) {
      builder.push(rows);
      if (node instanceof Filter filter) {
        builder.filter(filter.getCondition().accept(shifted));
      } else {
        List<RexNode> out = new ArrayList<>(builder.fields().subList(0, width));
        ((Project) node).getProjects().forEach(p -> out.add(p.accept(shifted)));
        builder.project(out);
      }
      rows = builder.build();
    }
    return Optional.of(
        builder
            .push(rows)
            .project(builder.fields(), correlate.getRowType().getFieldNames(), true)
            .convert(correlate.getRowType(), true)
            .build());
  }

  /** The elements of the last column beside the columns before it. */
  static RelNode elements(RelNode input, Uncollect uncollect) {
    return elements(input, one(uncollect), false);
  }

  private static Uncollect one(Uncollect uncollect) {
    if (uncollect.getInput().getRowType().getFieldCount() != 1) {
      throw new UnsupportedSqlException(
          "UNNEST takes one list; unnest each of them by itself, WITH ORDINALITY, and join them by their places");
    }
    return uncollect;
  }

  /** Puts the elements of the last column in its place. */
  private static RelNode elements(RelNode input, Uncollect uncollect, boolean keepsEmpty) {
    int list = input.getRowType().getFieldCount() - 1;
    List<Schema.Field> fields = new ArrayList<>();
    input
        .getRowType()
        .getFieldList()
        .subList(0, list)
        .forEach(f -> fields.add(field(f.getName(), f.getType())));
    uncollect.getRowType().getFieldList().forEach(f -> fields.add(field(f.getName(), f.getType())));
    List<String> names =
        SqlValidatorUtil.uniquify(fields.stream().map(Schema.Field::name).toList(), false);
    List<Schema.Field> named = new ArrayList<>();
    for (int i = 0; i < fields.size(); i++) {
      named.add(new Schema.Field(names.get(i), fields.get(i).type()));
    }
    Schema schema = new Schema(named);
    UnnestStep step = new UnnestStep(list, keepsEmpty, uncollect.withOrdinality);
    return new OwnStep(
        input, "unnest", schema, (node, name) -> new PlanNode.Apply(node, step, schema, name));
  }

  private static Schema.Field field(String name, RelDataType type) {
    return new Schema.Field(name, SqlTypes.fromSql(type));
  }

  /** Expressions of the right side over the columns of both. */
  private static final class Shifted extends RexShuttle {
    private final CorrelationId outer;
    private final int width;

    Shifted(CorrelationId outer, int width) {
      this.outer = outer;
      this.width = width;
    }

    @Override
    public RexNode visitInputRef(RexInputRef ref) {
      return new RexInputRef(ref.getIndex() + width, ref.getType());
    }

    @Override
    public RexNode visitFieldAccess(RexFieldAccess access) {
      return access.getReferenceExpr() instanceof RexCorrelVariable v && v.id.equals(outer)
          ? new RexInputRef(access.getField().getIndex(), access.getType())
          : super.visitFieldAccess(access);
    }

    @Override
    public RexNode visitSubQuery(RexSubQuery query) {
      throw new UnsupportedSqlException(
          "A subquery beside UNNEST is not supported; ask it in a query around this one");
    }
  }
}

package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.CorrelationId;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexCorrelVariable;
import org.apache.calcite.rex.RexFieldAccess;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexShuttle;
import org.apache.calcite.rex.RexSubQuery;
import org.apache.calcite.sql.SqlOperator;
import org.apache.calcite.tools.RelBuilder;

/**
 * Gives rows whose lists subqueries name a text for each such list, by which rows can be told apart
 * and joined as lists cannot; the subqueries read it again.
 */
final class ListsAsText {
  private final RelBuilder builder;
  private final RexBuilder rex;
  private final Set<CorrelationId> ids;
  private final RelNode input;
  private final List<Integer> lists;
  private final RelNode rows;

  /**
   * @param ids by which subqueries name the rows
   * @param expressions with the subqueries
   */
  ListsAsText(
      RelBuilder builder, RelNode input, Set<CorrelationId> ids, List<RexNode> expressions) {
    this.builder = builder;
    this.rex = builder.getRexBuilder();
    this.ids = ids;
    this.input = input;
    this.lists = lists(expressions);
    this.rows = lists.isEmpty() ? input : widened();
  }

  private List<Integer> lists(List<RexNode> expressions) {
    Set<Integer> named = new TreeSet<>();
    OuterColumns columns = new OuterColumns(ids);
    for (RexNode expression : expressions) {
      expression.accept(
          new RexShuttle() {
            @Override
            public RexNode visitSubQuery(RexSubQuery query) {
              named.addAll(columns.namedIn(query.rel));
              return super.visitSubQuery(query);
            }
          });
    }
    return named.stream().filter(f -> SqlTypes.fromSql(type(f)).isNested()).toList();
  }

  private RelDataType type(int field) {
    return input.getRowType().getFieldList().get(field).getType();
  }

  private RelNode widened() {
    builder.push(input);
    List<RexNode> out = new ArrayList<>(builder.fields());
    SqlOperator write = NestedFunctions.named(NestedFunctions.JSON_TEXT);
    lists.forEach(f -> out.add(builder.call(write, builder.field(f))));
    return builder.project(out, List.of(), true).build();
  }

  /** The rows, with the texts behind their columns. */
  RelNode rows() {
    return rows;
  }

  /** An expression whose subqueries read the texts. */
  RexNode reading(RexNode expression) {
    return lists.isEmpty() ? expression : expression.accept(new Reading());
  }

  /** Takes the texts off what came of the rows. */
  RelNode off(RelNode widened) {
    if (lists.isEmpty()) {
      return widened;
    }
    int width = input.getRowType().getFieldCount();
    builder.push(widened);
    return builder
        .project(builder.fields().subList(0, width), input.getRowType().getFieldNames(), true)
        .build();
  }

  private final class Reading extends RexShuttle {
    @Override
    public RexNode visitSubQuery(RexSubQuery query) {
      RexSubQuery same = (RexSubQuery) super.visitSubQuery(query);
      return same.clone(
          same.rel.accept(
              new RelHomogeneousShuttle() {
                @Override
                public RelNode visit(RelNode other) {
                  return super.visit(other).accept(Reading.this);
                }
              }));
    }

    @Override
    public RexNode visitFieldAccess(RexFieldAccess access) {
      if (!(access.getReferenceExpr() instanceof RexCorrelVariable variable)
          || !ids.contains(variable.id)) {
        return super.visitFieldAccess(access);
      }
      RexNode row = rex.makeCorrel(rows.getRowType(), variable.id);
      int at = lists.indexOf(access.getField().getIndex());
      if (at < 0) {
        return rex.makeFieldAccess(row, access.getField().getIndex());
      }
      RexNode text = rex.makeFieldAccess(row, input.getRowType().getFieldCount() + at);
      return rex.makeCall(
          access.getType(), NestedFunctions.named(NestedFunctions.PARSE_JSON), List.of(text));
    }
  }
}

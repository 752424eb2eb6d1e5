package yardage.core.plan;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.Arithmetic;
import yardage.core.expr.CaseWhen;
import yardage.core.expr.Comparison;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
import yardage.core.testing.LivePlans;

/** What is computed once, how deep, and what is not since not all rows reach it. */
class SharedExpressionsTest {
  private static final Expression A = Expression.input(0, Type.BIGINT);
  private static final Expression B = Expression.input(2, Type.BIGINT);
  private static final Schema INPUT =
      Schema.of(
          new Schema.Field("a", Type.BIGINT),
          new Schema.Field("unused", Type.VARCHAR),
          new Schema.Field("b", Type.BIGINT));

  private static Expression op(Arithmetic.Op op, Expression left, Expression right) {
    return new Arithmetic(op, left, right, Type.BIGINT);
  }

  /** Each projection as a line of its expressions, the uppermost first. */
  private static List<List<Expression>> project(Expression... expressions) {
    List<Schema.Field> fields = new ArrayList<>();
    for (Expression e : expressions) {
      fields.add(new Schema.Field("c" + fields.size(), e.type()));
    }
    PlanNode node =
        SharedExpressions.project(
            new PlanNode.Scan(LivePlans.source(List::of), INPUT, "read"),
            List.of(expressions),
            new Schema(fields));
    List<List<Expression>> out = new ArrayList<>();
    while (node instanceof PlanNode.Project project) {
      out.add(project.expressions());
      node = project.input();
    }
    return out;
  }

  private static Expression in(int place) {
    return Expression.input(place, Type.BIGINT);
  }

  @Test
  void whatStandsTwiceIsAColumnBelow() {
    Expression product = op(Arithmetic.Op.MULTIPLY, A, B);
    Expression more = op(Arithmetic.Op.ADD, product, A);
    assertEquals(
        List.of(
            List.of(in(2), op(Arithmetic.Op.ADD, in(2), in(0)), in(2)), List.of(in(0), B, product)),
        project(product, more, product));
    assertEquals(List.of(List.of(product, A, B)), project(product, A, B));
  }

  @Test
  void partsOfPartsToo() {
    Expression product = op(Arithmetic.Op.MULTIPLY, A, B);
    Expression more = op(Arithmetic.Op.ADD, product, A);
    List<List<Expression>> levels = project(more, more, product);
    assertEquals(3, levels.size(), levels::toString);
    assertEquals(List.of(in(0), B, product), levels.get(2));
    assertTrue(levels.get(1).contains(op(Arithmetic.Op.ADD, in(2), in(0))), levels::toString);
  }

  @Test
  void whatOnlySomeRowsReachIsNotComputedForAll() {
    Expression quotient = op(Arithmetic.Op.DIVIDE, A, B);
    Expression guard = new Comparison(Comparison.Op.NE, B, Literal.of(Type.BIGINT, 0L));
    Expression guarded =
        new CaseWhen(List.of(guard), List.of(quotient), Literal.of(Type.BIGINT, 0L), Type.BIGINT);
    Expression other =
        new CaseWhen(List.of(guard), List.of(quotient), Literal.of(Type.BIGINT, 1L), Type.BIGINT);
    List<List<Expression>> levels = project(guarded, other);
    assertEquals(2, levels.size());
    assertEquals(List.of(in(0), B, guard), levels.get(1), "the guard, and no quotient");

    List<List<Expression>> reached = project(guarded, quotient);
    assertEquals(List.of(in(0), B, quotient), reached.get(1), "all rows reach it anyway");
  }
}

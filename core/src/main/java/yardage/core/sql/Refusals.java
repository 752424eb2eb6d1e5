package yardage.core.sql;

import java.util.Optional;
import java.util.function.Predicate;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexOver;
import org.apache.calcite.rex.RexVisitorImpl;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.util.SqlBasicVisitor;

/** Finds calls that the engine cannot do when a query is checked, rather than when it runs. */
final class Refusals {
  private Refusals() {}

  /**
   * @throws SqlProblemException at the first such call
   */
  static void check(SqlNode query, RelNode rel, RexBuilder rexBuilder) {
    RexTranslator rex = new RexTranslator(rexBuilder);
    try {
      rel.accept(
          new RelHomogeneousShuttle() {
            @Override
            public RelNode visit(RelNode node) {
              if (node instanceof Project p) {
                p.getProjects().forEach(e -> look(e, rex));
              } else if (node instanceof Filter f) {
                look(f.getCondition(), rex);
              }
              return super.visit(node);
            }
          });
    } catch (UnsupportedSqlException e) {
      // The library may have written a window's function by others.
      SqlParserPos at =
          e.function()
              .flatMap(
                  f ->
                      find(query, call -> call.getOperator().getName().equalsIgnoreCase(f))
                          .or(() -> find(query, call -> call.getKind() == SqlKind.OVER)))
              .orElse(query)
              .getParserPosition();
      throw SqlProblemException.at(at, e.getMessage(), Optional.empty(), e);
    }
  }

  private static void look(RexNode expression, RexTranslator rex) {
    if (!RexOver.containsOver(expression)) {
      rex.translate(expression);
      return;
    }
    expression.accept(
        new RexVisitorImpl<Void>(true) {
          @Override
          public Void visitOver(RexOver over) {
            WindowPlan.check(over);
            return super.visitOver(over);
          }
        });
  }

  private static Optional<SqlNode> find(SqlNode query, Predicate<SqlCall> wanted) {
    SqlNode[] found = {null};
    query.accept(
        new SqlBasicVisitor<Void>() {
          @Override
          public Void visit(SqlCall call) {
            if (found[0] == null && wanted.test(call)) {
              found[0] = call;
            }
            return super.visit(call);
          }
        });
    return Optional.ofNullable(found[0]);
  }
}

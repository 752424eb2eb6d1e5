package yardage.core.sql;

import java.util.HashSet;
import java.util.Set;
import java.util.SortedSet;
import java.util.TreeSet;
import java.util.function.Function;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.CorrelationId;
import org.apache.calcite.rex.RexCorrelVariable;
import org.apache.calcite.rex.RexFieldAccess;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexShuttle;

/**
 * The columns of a query's rows that the subqueries inside it name.
 *
 * @param ids by which they name the rows
 */
record OuterColumns(Set<CorrelationId> ids) {
  OuterColumns {
    ids = Set.copyOf(ids);
  }

  /** These, also where another name stands for the rows. */
  OuterColumns and(CorrelationId id) {
    Set<CorrelationId> all = new HashSet<>(ids);
    all.add(id);
    return new OuterColumns(all);
  }

  /** Whether an expression is one of these columns. */
  boolean isOne(RexNode node) {
    return node instanceof RexFieldAccess access
        && access.getReferenceExpr() instanceof RexCorrelVariable variable
        && ids.contains(variable.id);
  }

  /** An expression with others in the place of these columns. */
  RexNode replaced(RexNode expression, Function<RexFieldAccess, RexNode> by) {
    return expression.accept(shuttle(by));
  }

  private RexShuttle shuttle(Function<RexFieldAccess, RexNode> by) {
    return new RexShuttle() {
      @Override
      public RexNode visitFieldAccess(RexFieldAccess access) {
        return isOne(access) ? by.apply(access) : super.visitFieldAccess(access);
      }
    };
  }

  boolean areNamedIn(RexNode expression) {
    return !namedBy(expression::accept).isEmpty();
  }

  boolean areNamedIn(RelNode rel) {
    return !namedIn(rel).isEmpty();
  }

  /** The places of the columns that are named anywhere in a query. */
  SortedSet<Integer> namedIn(RelNode rel) {
    return namedBy(
        looking ->
            rel.accept(
                new RelHomogeneousShuttle() {
                  @Override
                  public RelNode visit(RelNode node) {
                    node.accept(looking);
                    return super.visit(node);
                  }
                }));
  }

  private SortedSet<Integer> namedBy(Function<RexShuttle, Object> look) {
    SortedSet<Integer> out = new TreeSet<>();
    look.apply(
        shuttle(
            access -> {
              out.add(access.getField().getIndex());
              return access;
            }));
    return out;
  }
}

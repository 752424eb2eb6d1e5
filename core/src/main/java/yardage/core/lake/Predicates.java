package yardage.core.lake;

import java.util.List;
import org.apache.iceberg.expressions.Expression;
import org.apache.iceberg.expressions.Expressions;
import yardage.core.plan.ColumnPredicate;

/** Comparisons as the table format's library has them. */
final class Predicates {
  private Predicates() {}

  /** What all of them say together; of none, nothing. */
  static Expression all(List<ColumnPredicate> predicates) {
    return predicates.stream()
        .map(Predicates::one)
        .reduce(Expressions.alwaysTrue(), Expressions::and);
  }

  private static Expression one(ColumnPredicate p) {
    return switch (p.op()) {
      case EQ -> Expressions.equal(p.column(), p.value());
      case LT -> Expressions.lessThan(p.column(), p.value());
      case LE -> Expressions.lessThanOrEqual(p.column(), p.value());
      case GT -> Expressions.greaterThan(p.column(), p.value());
      case GE -> Expressions.greaterThanOrEqual(p.column(), p.value());
    };
  }
}

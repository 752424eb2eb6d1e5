package yardage.core.lake;

import java.math.BigDecimal;
import org.apache.iceberg.expressions.Expression;
import org.apache.iceberg.expressions.Expressions;
import yardage.core.column.Type;
import yardage.core.expr.Literal;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.ColumnPredicate.Beginning;
import yardage.core.plan.ColumnPredicate.Compared;
import yardage.core.plan.ColumnPredicate.Null;
import yardage.core.plan.ColumnPredicate.OneOf;

/** Conditions on columns as the table format's library has them. */
final class Predicates {
  private Predicates() {}

  /** What is always true where the library cannot tell. */
  static Expression of(ColumnPredicate predicate) {
    if (predicate instanceof Compared c) {
      return isOrdered(c.value().type()) ? compared(c) : Expressions.alwaysTrue();
    } else if (predicate instanceof OneOf in) {
      return isOrdered(in.values().get(0).type())
          ? Expressions.in(in.column(), in.values().stream().map(Predicates::value).toList())
          : Expressions.alwaysTrue();
    } else if (predicate instanceof Beginning b) {
      return Expressions.startsWith(b.column(), (String) b.text().value().orElseThrow());
    }
    Null n = (Null) predicate;
    return n.isNull() ? Expressions.isNull(n.column()) : Expressions.notNull(n.column());
  }

  private static Expression compared(Compared c) {
    Object value = value(c.value());
    return switch (c.op()) {
      case EQ -> Expressions.equal(c.column(), value);
      case LT -> Expressions.lessThan(c.column(), value);
      case LE -> Expressions.lessThanOrEqual(c.column(), value);
      case GT -> Expressions.greaterThan(c.column(), value);
      case GE -> Expressions.greaterThanOrEqual(c.column(), value);
    };
  }

  /** The library orders UUIDs as numbers with a sign. */
  private static boolean isOrdered(Type type) {
    return type.kind() != Type.Kind.UUID;
  }

  private static Object value(Literal literal) {
    Object value = literal.value().orElseThrow();
    return literal.type().kind() == Type.Kind.DECIMAL && value instanceof Long unscaled
        ? BigDecimal.valueOf(unscaled, literal.type().scale())
        : value;
  }
}

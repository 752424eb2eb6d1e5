package yardage.core.plan;

import java.lang.reflect.RecordComponent;
import java.util.BitSet;
import java.util.Collection;
import java.util.Optional;
import yardage.core.expr.Expression;

/** Which columns expressions read. */
public final class ExpressionInputs {
  private ExpressionInputs() {}

  /** Adds the ordinals of the columns that an expression reads. */
  public static void add(Expression expression, BitSet out) {
    collect(expression, out);
  }

  private static void collect(Object value, BitSet out) {
    if (value instanceof Expression.Input input) {
      out.set(input.ordinal());
    } else if (value instanceof Optional<?> held) {
      held.ifPresent(v -> collect(v, out));
    } else if (value instanceof Collection<?> many) {
      many.forEach(v -> collect(v, out));
    } else if (value instanceof Record r) {
      for (RecordComponent c : RecordCodec.components(r)) {
        collect(RecordCodec.component(c, r), out);
      }
    }
  }
}

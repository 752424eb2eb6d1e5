package yardage.core.expr;

import yardage.core.column.*;

/** The value of a subquery, and an error where it has several. */
public record OneValue(Expression value, Expression count) implements Expression {
  @Override
  public Type type() {
    return value.type();
  }

  @Override
  public Column evaluate(Batch batch) {
    LongColumn counts = (LongColumn) count.evaluate(batch);
    for (int i = 0; i < counts.size(); i++) {
      if (!counts.isNull(i) && counts.values()[i] > 1) {
        throw new ExpressionException("A subquery used as a value gave more than one row");
      }
    }
    return value.evaluate(batch);
  }
}

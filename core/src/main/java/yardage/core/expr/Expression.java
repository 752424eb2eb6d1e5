package yardage.core.expr;

import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Type;

/** A computation over the rows of a batch. Implementations are immutable and thread-safe. */
public interface Expression {
  Type type();

  /**
   * One value per row of {@code batch}.
   *
   * @throws ExpressionException when a value cannot be computed, such as a division by zero
   */
  Column evaluate(Batch batch);

  /** The values of input column {@code ordinal}. */
  static Expression input(int ordinal, Type type) {
    return new Input(ordinal, type);
  }

  /** A reference to an input column. */
  record Input(int ordinal, Type type) implements Expression {
    @Override
    public Column evaluate(Batch batch) {
      return batch.column(ordinal);
    }
  }
}

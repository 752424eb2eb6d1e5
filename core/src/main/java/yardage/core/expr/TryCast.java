package yardage.core.expr;

import yardage.core.column.*;

/** {@code TRY_CAST(value AS type)}: null where CAST would fail. */
public record TryCast(Expression operand, Type type) implements Expression {
  @Override
  public Column evaluate(Batch batch) {
    Column column = operand.evaluate(batch);
    try {
      return Cast.to(column, type);
    } catch (ExpressionException e) {
      return oneByOne(column);
    }
  }

  private Column oneByOne(Column column) {
    ColumnBuilder out = ColumnBuilder.of(type);
    for (int r = 0; r < column.size(); r++) {
      try {
        out.append(Cast.to(column.gather(new int[] {r}, 1), type), 0);
      } catch (ExpressionException e) {
        out.appendNull();
      }
    }
    return out.build();
  }
}

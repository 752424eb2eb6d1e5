package yardage.core.expr;

import java.util.List;
import yardage.core.column.*;

/** {@code GREATEST} and {@code LEAST} (SQL:2023, T054): null where any operand is. */
public record Extreme(boolean greatest, List<Expression> operands, Type type)
    implements Expression {
  public Extreme {
    operands = List.copyOf(operands);
    if (type.isNested()) {
      throw new ExpressionException("Values of type %s have no order".formatted(type));
    }
  }

  @Override
  public Column evaluate(Batch batch) {
    List<Column> columns = operands.stream().map(o -> Cast.to(o.evaluate(batch), type)).toList();
    ColumnBuilder out = ColumnBuilder.of(type);
    for (int r = 0; r < batch.rowCount(); r++) {
      Column best = columns.get(0);
      for (Column c : columns) {
        if (c.isNull(r)) {
          best = c;
          break;
        }
        int order = Values.compare(c, r, best, r);
        best = (greatest ? order > 0 : order < 0) ? c : best;
      }
      out.append(best, r);
    }
    return out.build();
  }
}

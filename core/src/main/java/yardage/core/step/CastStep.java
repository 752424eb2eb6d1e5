package yardage.core.step;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.RowStep;
import yardage.core.exec.StepTally;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;
import yardage.core.expr.ExpressionException;

/**
 * Casts columns, and says what happens to values that do not cast. A batch is cast as a whole, and
 * value by value only when something in it does not fit.
 */
public record CastStep(Schema input, Map<Integer, Type> casts, Otherwise otherwise)
    implements RowStep {

  /** What happens to a value that does not cast. */
  public enum Otherwise {
    STOP,
    NULL,
    SET_ASIDE
  }

  @Override
  public BatchConsumer bind(StepTally tally, BatchConsumer next) {
    return batch -> {
      List<Column> out = new ArrayList<>(batch.columns());
      boolean[] aside = new boolean[batch.rowCount()];
      int gone = 0;
      for (Map.Entry<Integer, Type> cast : casts.entrySet()) {
        int c = cast.getKey();
        Expression whole = new Cast(Expression.input(c, input.field(c).type()), cast.getValue());
        try {
          out.set(c, whole.evaluate(batch));
        } catch (ExpressionException e) {
          if (otherwise == Otherwise.STOP) {
            throw new ExpressionException(
                "Column [%s]: %s; say if-wrong: \"null\" or set-aside in the step to go on without such values"
                    .formatted(input.field(c).name(), e.getMessage()));
          }
          gone += oneByOne(tally, batch, c, cast.getValue(), out, aside);
        }
      }
      pass(next, batch.withColumns(out), aside, gone);
    };
  }

  /** Gives how many rows more are to be set aside. */
  private int oneByOne(
      StepTally tally, Batch batch, int column, Type type, List<Column> out, boolean[] aside) {
    ColumnBuilder builder = ColumnBuilder.of(type);
    Column values = batch.column(column);
    Expression one = new Cast(Expression.input(0, values.type()), type);
    int[] row = new int[1];
    int wrong = 0;
    int gone = 0;
    for (int r = 0; r < batch.rowCount(); r++) {
      row[0] = r;
      try {
        builder.append(
            one.evaluate(new Batch(List.of(values.gather(row, 1)), 1, batch.sequence())), 0);
      } catch (ExpressionException e) {
        builder.appendNull();
        wrong++;
        if (otherwise == Otherwise.SET_ASIDE && !aside[r]) {
          aside[r] = true;
          gone++;
          tally.setAside(
              RowText.json(input, batch, r),
              input.field(column).name(),
              "wrong-type",
              e.getMessage());
        }
      }
    }
    out.set(column, builder.build());
    if (otherwise == Otherwise.NULL) {
      tally.changed(
          "values of [%s] did not cast to %s and became null"
              .formatted(input.field(column).name(), type),
          wrong);
    }
    return gone;
  }

  /** Hands on the rows that are not set aside. */
  static void pass(BatchConsumer next, Batch batch, boolean[] aside, int gone) {
    if (gone == 0) {
      next.accept(batch);
      return;
    }
    int[] kept = new int[batch.rowCount() - gone];
    int n = 0;
    for (int r = 0; r < aside.length; r++) {
      if (!aside[r]) {
        kept[n++] = r;
      }
    }
    if (n > 0) {
      next.accept(batch.gather(kept, n));
    }
  }
}

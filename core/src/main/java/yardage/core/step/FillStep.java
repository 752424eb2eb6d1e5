package yardage.core.step;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.BooleanColumn;
import yardage.core.column.Column;
import yardage.core.column.Schema;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.RowStep;
import yardage.core.exec.StepTally;
import yardage.core.expr.CaseWhen;
import yardage.core.expr.Expression;
import yardage.core.expr.Logic;

/**
 * Puts other values in the place of nulls, and of values that stand for one, and counts them by
 * column.
 *
 * @param input the columns that come in; those beyond the first {@code kept} only serve
 */
public record FillStep(Schema input, int kept, List<Fill> fills) implements RowStep {

  /**
   * One column's filling.
   *
   * @param empty whether a row's value is to be replaced
   * @param with the value instead, of the column's type
   */
  public record Fill(int column, Expression empty, Expression with) {}

  @Override
  public BatchConsumer bind(StepTally tally, BatchConsumer next) {
    return batch -> {
      List<Column> out = new ArrayList<>(batch.columns().subList(0, kept));
      int[] rows = new int[batch.rowCount()];
      for (Fill fill : fills) {
        BooleanColumn empty = (BooleanColumn) fill.empty().evaluate(batch);
        int n = Logic.select(empty, rows);
        if (n == 0) {
          continue;
        }
        Column with = fill.with().evaluate(batch);
        int filled = 0;
        for (int i = 0; i < n; i++) {
          filled += with.isNull(rows[i]) ? 0 : 1;
        }
        String name = input.field(fill.column()).name();
        tally.changed("values of [%s] were filled".formatted(name), filled);
        tally.changed(
            "values of [%s] are still empty, since there was nothing to fill them with"
                .formatted(name),
            (long) n - filled);
        Expression now =
            new CaseWhen(
                List.of(fill.empty()),
                List.of(fill.with()),
                Expression.input(fill.column(), input.field(fill.column()).type()),
                input.field(fill.column()).type());
        out.set(fill.column(), now.evaluate(batch));
      }
      next.accept(batch.withColumns(out));
    };
  }
}

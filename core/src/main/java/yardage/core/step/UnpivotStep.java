package yardage.core.step;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.TextBuilder;
import yardage.core.column.Type;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.RowStep;
import yardage.core.exec.StepTally;
import yardage.core.expr.Expression;

/**
 * A row for each of some columns: the columns that stay, the column's name, its value.
 *
 * @param values one expression for each column, all of one type
 * @param dropNulls whether nulls give no row
 */
public record UnpivotStep(
    int[] stay, List<String> names, List<Expression> values, Type type, boolean dropNulls)
    implements RowStep {

  @Override
  public BatchConsumer bind(StepTally tally, BatchConsumer next) {
    return batch -> {
      List<Column> columns = values.stream().map(v -> v.evaluate(batch)).toList();
      int n = batch.rowCount() * names.size();
      int[] rows = new int[n];
      TextBuilder name = new TextBuilder();
      ColumnBuilder value = ColumnBuilder.of(type);
      int at = 0;
      long gone = 0;
      for (int r = 0; r < batch.rowCount(); r++) {
        int before = at;
        for (int c = 0; c < columns.size(); c++) {
          if (dropNulls && columns.get(c).isNull(r)) {
            continue;
          }
          rows[at++] = r;
          name.append(names.get(c));
          value.append(columns.get(c), r);
        }
        gone += at == before ? 1 : 0;
      }
      tally.filtered.add(gone);
      tally.multiplied.add(at - (batch.rowCount() - gone));
      if (at == 0) {
        return;
      }
      List<Column> out = new ArrayList<>();
      for (int c : stay) {
        out.add(batch.column(c).gather(rows, at));
      }
      out.add(name.build());
      out.add(value.build());
      next.accept(batch.derived(out, rows, at));
    };
  }
}

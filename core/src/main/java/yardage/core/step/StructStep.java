package yardage.core.step;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Column;
import yardage.core.column.StructColumn;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.RowStep;
import yardage.core.exec.StepTally;

/** The fields of a struct as columns at the end, in its place none. */
public record StructStep(int column) implements RowStep {
  @Override
  public BatchConsumer bind(StepTally tally, BatchConsumer next) {
    return batch -> {
      List<Column> out = new ArrayList<>(batch.columns());
      StructColumn struct = (StructColumn) out.remove(column);
      out.addAll(UnnestStep.flat(struct));
      next.accept(batch.withColumns(out));
    };
  }
}

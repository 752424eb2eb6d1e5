package yardage.core.exec;

import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.plan.WholeDescription;

/**
 * Rows to rows within blocks that know nothing of each other. The first column that the step puts
 * behind those of the input has numbers: one that comes for the first time, in the order of the
 * input, is one more than those before it.
 */
public interface BlockStep extends WholeDescription {
  /** Columns whose values make a block; none where all rows are one. */
  int[] blocks();

  /** What the step takes in memory for some rows, at most, beside the rows. */
  long bytesFor(Batch rows);

  /**
   * Puts columns behind those of the input.
   *
   * @param columns all rows of some blocks, in the order of the input; at least one column
   * @return as many rows in the same order, numbered from 1
   */
  List<Column> apply(List<Column> columns, ExecutionContext context);
}

package yardage.core.exec;

import yardage.core.column.Batch;
import yardage.core.plan.WholeDescription;

/**
 * Keeps so many of all rows, those with the smallest numbers; of rows with one number the first. No
 * more than those, and some that may be among them, need fit in memory.
 */
public interface PickedStep extends WholeDescription {
  /** How many rows are kept. */
  long count();

  /** The number of a row; of its values alone. */
  long number(Batch batch, int row);
}

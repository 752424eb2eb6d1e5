package yardage.core.exec;

import yardage.core.column.Column;

/**
 * One call of a window function, fed with partitions and giving blocks of rows, both in the order
 * of the window. One thread at a time.
 */
abstract sealed class WindowFunction
    permits WindowRanks, WindowPicks.OfBefore, WindowPicks.OfFrame, WindowSums, WindowTotals {
  /** Begins a block of so many rows. */
  abstract void start(int rows);

  /** Begins a partition: the rows from one place to before another. */
  abstract void partition(long from, long to);

  /** Computes some rows of the block, all in the current partition. */
  abstract void give(WindowBlock block, int from, int to);

  /** The values of the block's rows. */
  abstract Column end();
}

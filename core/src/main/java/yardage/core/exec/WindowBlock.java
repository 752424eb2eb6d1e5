package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Column;

/**
 * Goes through some whole partitions of a window and computes all its calls, block by block: what
 * the rows of a block have for peers, and then each call for all of them.
 */
final class WindowBlock {
  private final WindowRows rows;
  private final boolean unordered;
  private final List<WindowFunction> functions = new ArrayList<>();
  private final CancelToken cancel;
  private final WindowRows.Cursor one;
  private final WindowRows.Cursor other;

  /** Where the peers of each row of the block begin, and end. */
  private final long[] firstPeer;

  private final long[] endPeer;

  private long at;
  private long partitionFrom;
  private long partitionTo;
  private long peersFrom;
  private long peersTo;

  /**
   * @param from where the first partition begins
   * @param most of a block
   */
  WindowBlock(
      WindowStep step,
      WindowRows rows,
      long from,
      int most,
      WindowMemory memory,
      CancelToken cancel) {
    this.rows = rows;
    this.cancel = cancel;
    this.unordered = step.order().isEmpty();
    this.at = from;
    this.partitionTo = from;
    one = rows.cursor();
    other = rows.cursor();
    firstPeer = new long[most];
    endPeer = new long[most];
    step.calls().forEach(c -> functions.add(c.function(rows, step, memory)));
  }

  /** The place of a row of the block. */
  long place(int row) {
    return at + row;
  }

  long partitionFrom() {
    return partitionFrom;
  }

  long partitionTo() {
    return partitionTo;
  }

  long firstPeer(int row) {
    return firstPeer[row];
  }

  long endPeer(int row) {
    return endPeer[row];
  }

  /** What the calls give for the next rows. */
  List<Column> next(int count) {
    functions.forEach(f -> f.start(count));
    for (int row = 0; row < count; ) {
      cancel.check();
      if (at + row == partitionTo) {
        partitionFrom = partitionTo;
        partitionTo = rows.partitionEnd(partitionFrom);
        peersTo = partitionFrom;
        functions.forEach(f -> f.partition(partitionFrom, partitionTo));
      }
      int stop = (int) Math.min(count, partitionTo - at);
      peers(row, stop);
      for (WindowFunction f : functions) {
        f.give(this, row, stop);
      }
      row = stop;
    }
    at += count;
    return functions.stream().map(WindowFunction::end).toList();
  }

  private void peers(int from, int to) {
    for (int row = from; row < to; row++) {
      if (at + row == peersTo) {
        peersFrom = peersTo;
        peersTo = unordered ? partitionTo : rows.peersEnd(peersFrom, partitionTo, one, other);
      }
      firstPeer[row] = peersFrom;
      endPeer[row] = peersTo;
    }
  }
}

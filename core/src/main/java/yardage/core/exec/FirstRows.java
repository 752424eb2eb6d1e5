package yardage.core.exec;

import java.util.concurrent.atomic.AtomicLongArray;

/**
 * Where only the first rows of a stage are wanted: which of its splits are needed still. Rows of
 * earlier splits come before those of later ones, so what a split and all before it have given so
 * far is enough or will be, whatever else those before it give. Thread-safe.
 */
final class FirstRows {
  private final long wanted;
  private final AtomicLongArray rows;
  private volatile int last;

  /**
   * @param splits how many there are, in the order of their rows
   */
  FirstRows(long wanted, int splits) {
    this.wanted = wanted;
    this.rows = new AtomicLongArray(splits);
    this.last = wanted <= 0 ? -1 : Integer.MAX_VALUE;
  }

  /** Notes rows that have come out of a split, the next ones of it. */
  void came(int split, int count) {
    rows.addAndGet(split, count);
    long sum = 0;
    for (int s = 0; s <= split && sum < wanted; s++) {
      sum += rows.get(s);
      if (sum >= wanted) {
        stopBehind(s);
      }
    }
  }

  private synchronized void stopBehind(int split) {
    last = Math.min(last, split);
  }

  /** Whether rows that a split has not given yet may be among the first. */
  boolean wants(int split) {
    return split < last;
  }
}

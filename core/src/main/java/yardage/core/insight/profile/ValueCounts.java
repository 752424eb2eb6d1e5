package yardage.core.insight.profile;

import java.util.Arrays;
import java.util.function.IntFunction;

/**
 * Which values come how often. All are counted while they are few; then those that came the least
 * go again and again, so that the frequent ones stay, with counts that are too low by no more than
 * {@link #missed} (after G. Manku and R. Motwani, Approximate Frequency Counts over Data Streams,
 * VLDB 2002). Values are told apart by a hash of 64 bits.
 */
final class ValueCounts {
  /** Values that are kept. */
  static final int MOST = 1 << 14;

  private static final int SLOTS = 2 * MOST;

  private final long[] hashes = new long[SLOTS];
  private final long[] counts = new long[SLOTS];
  private final Object[] values = new Object[SLOTS];
  private int size;
  private long missed;

  /**
   * @param value gives the value of a row, where it is new here
   */
  void add(long hash, long times, IntFunction<Object> value, int row) {
    int at = slot(hash);
    if (counts[at] == 0) {
      if (size == MOST) {
        drop();
        at = slot(hash);
      }
      put(at, hash, times, value.apply(row));
    } else {
      counts[at] += times;
    }
  }

  private int slot(long hash) {
    int at = (int) (hash & SLOTS - 1);
    while (counts[at] != 0 && hashes[at] != hash) {
      at = at + 1 & SLOTS - 1;
    }
    return at;
  }

  private void put(int at, long hash, long count, Object value) {
    hashes[at] = hash;
    counts[at] = count;
    values[at] = value;
    size++;
  }

  /** Lets go of the rarer half. */
  private void drop() {
    long[] sorted = Arrays.stream(counts).filter(c -> c > 0).sorted().toArray();
    long least = sorted[sorted.length / 2];
    missed += least;
    long[] oldHashes = hashes.clone();
    long[] oldCounts = counts.clone();
    Object[] oldValues = values.clone();
    Arrays.fill(counts, 0);
    Arrays.fill(values, null);
    size = 0;
    for (int i = 0; i < SLOTS; i++) {
      if (oldCounts[i] > least) {
        put(slot(oldHashes[i]), oldHashes[i], oldCounts[i], oldValues[i]);
      }
    }
  }

  void add(ValueCounts other) {
    missed += other.missed;
    for (int i = 0; i < SLOTS; i++) {
      if (other.counts[i] > 0) {
        Object value = other.values[i];
        add(other.hashes[i], other.counts[i], r -> value, 0);
      }
    }
  }

  /** By how much a count may be too low. */
  long missed() {
    return missed;
  }

  /** How many values are known; all of them where nothing was missed. */
  int size() {
    return size;
  }

  /** Sees a value and its count. */
  interface Each {
    void see(Object value, long count);
  }

  void forEach(Each each) {
    for (int i = 0; i < SLOTS; i++) {
      if (counts[i] > 0) {
        each.see(values[i], counts[i]);
      }
    }
  }
}

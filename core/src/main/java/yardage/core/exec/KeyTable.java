package yardage.core.exec;

import java.util.Arrays;
import java.util.Optional;
import yardage.core.column.*;

/**
 * Numbers distinct keys 0, 1, 2 … in order of first sight, but for those of one call whose hash
 * another key has: they come behind its others. Null is a key like others. One thread at a time for
 * {@link #numberOf}; {@link #find} may be called by many threads once nothing is added any more.
 *
 * <p>Open addressing over {@code long} slots: the upper half is the full 32-bit hash, the lower
 * half the key's number plus one, 0 for empty. A batch is looked up in three passes: find by hash
 * alone, compare key columns in bulk, then fix the few rows whose hash was alike and whose key was
 * not, one by one.
 */
final class KeyTable {
  private static final int FIRST_SLOTS = 1 << 10;

  private final ColumnBuilder[] keys;

  /** In place of the slots below, where a key is one whole number. */
  private final Optional<WholeKeys> whole;

  private long[] slots;
  private int mask;
  private int count;
  private int[] hashes = new int[Batch.TARGET_ROWS];
  private boolean[] differs = new boolean[Batch.TARGET_ROWS];
  private final KeyCombinations combinations = new KeyCombinations();

  KeyTable(Type[] types) {
    keys = new ColumnBuilder[types.length];
    for (int i = 0; i < types.length; i++) {
      keys[i] = ColumnBuilder.of(types[i]);
    }
    whole = WholeKeys.areOf(types) ? Optional.of(new WholeKeys(keys[0])) : Optional.empty();
    slots = new long[whole.isPresent() ? 1 : FIRST_SLOTS];
    mask = slots.length - 1;
  }

  /** Makes room at once for so many keys in all, where about as many are expected. */
  void expect(int keyCount) {
    if (whole.isPresent()) {
      whole.get().ensureRoom(keyCount - count());
    } else {
      ensureRoom(keyCount - count);
    }
    for (ColumnBuilder key : keys) {
      key.reserve(keyCount - count());
    }
  }

  int count() {
    return whole.map(WholeKeys::count).orElse(count);
  }

  long sizeBytes() {
    long sum = 8L * slots.length + whole.map(WholeKeys::sizeBytes).orElse(0L);
    for (ColumnBuilder key : keys) {
      sum += key.sizeBytes();
    }
    return sum;
  }

  /** The numbers of the rows' keys into {@code out}, adding keys that are new. */
  void numberOf(Column[] columns, int rows, int[] out) {
    if (whole.isPresent()) {
      whole.get().numberOf(columns[0], rows, out);
    } else if (combinations.isFew(columns, rows)) {
      numberOfEach(combinations.keys(columns), combinations.count(), out);
      combinations.spread(out, rows);
    } else {
      numberOfEach(columns, rows, out);
    }
  }

  private void numberOfEach(Column[] columns, int rows, int[] out) {
    if (hashes.length < rows) {
      hashes = new int[rows];
      differs = new boolean[rows];
    }
    ensureRoom(rows);
    Hashing.hash(columns, rows, hashes);
    for (int i = 0; i < rows; i++) {
      int hash = hashes[i];
      int at = hash & mask;
      while (true) {
        long slot = slots[at];
        if (slot == 0) {
          out[i] = add(columns, i, hash, at);
          break;
        }
        if ((int) (slot >>> 32) == hash) {
          out[i] = (int) slot - 1;
          break;
        }
        at = (at + 1) & mask;
      }
    }
    if (compare(columns, rows, out, differs)) {
      for (int i = 0; i < rows; i++) {
        if (differs[i]) {
          out[i] = numberOfOne(columns, i, hashes[i]);
        }
      }
    }
  }

  /**
   * The first row of each key that the last {@link #numberOf} found new, by number. Numbers alone
   * do not say: among the keys of one call those whose hash another has come last.
   *
   * @param before how many keys there were
   */
  int[] firstRows(int before, int[] numbers, int rows) {
    int[] first = new int[count() - before];
    for (int r = rows - 1; r >= 0; r--) {
      if (numbers[r] >= before) {
        first[numbers[r] - before] = r;
      }
    }
    return first;
  }

  /** The numbers of the rows' keys into {@code out}, -1 where the key is not there. Thread-safe. */
  void find(Column[] columns, int rows, int[] out, Scratch scratch) {
    if (whole.isPresent()) {
      whole.get().find(columns[0], rows, out, scratch.widened(columns[0], rows));
    } else if (scratch.combinations.isFew(columns, rows)) {
      findEach(scratch.combinations.keys(columns), scratch.combinations.count(), out, scratch);
      scratch.combinations.spread(out, rows);
    } else {
      findEach(columns, rows, out, scratch);
    }
  }

  private void findEach(Column[] columns, int rows, int[] out, Scratch scratch) {
    scratch.ensure(rows);
    int[] h = scratch.hashes;
    Hashing.hash(columns, rows, h);
    long[] slots = this.slots;
    int mask = this.mask;
    for (int i = 0; i < rows; i++) {
      int hash = h[i];
      int at = hash & mask;
      long slot = slots[at];
      while (slot != 0 && (int) (slot >>> 32) != hash) {
        at = (at + 1) & mask;
        slot = slots[at];
      }
      out[i] = (int) slot - 1;
    }
    if (compare(columns, rows, out, scratch.differs)) {
      for (int i = 0; i < rows; i++) {
        if (scratch.differs[i]) {
          out[i] = findOne(columns, i, h[i]);
        }
      }
    }
  }

  /** Buffers of one thread for {@link #find}. */
  static final class Scratch {
    private final KeyCombinations combinations = new KeyCombinations();
    private int[] hashes = new int[0];
    private boolean[] differs = new boolean[0];
    private long[] widened = new long[0];

    private long[] widened(Column column, int rows) {
      if (column instanceof IntColumn && widened.length < rows) {
        widened = new long[rows];
      }
      return widened;
    }

    private void ensure(int rows) {
      if (hashes.length < rows) {
        hashes = new int[rows];
        differs = new boolean[rows];
      }
    }
  }

  /** The keys by number. The table is spent. */
  Column[] build() {
    Column[] out = new Column[keys.length];
    for (int i = 0; i < out.length; i++) {
      out[i] = keys[i].build();
    }
    return out;
  }

  private boolean compare(Column[] columns, int rows, int[] numbers, boolean[] differs) {
    Arrays.fill(differs, 0, rows, false);
    boolean any = false;
    for (int k = 0; k < keys.length; k++) {
      any |= keys[k].markDifferences(numbers, columns[k], rows, differs);
    }
    return any;
  }

  private int numberOfOne(Column[] columns, int row, int hash) {
    int at = hash & mask;
    while (true) {
      long slot = slots[at];
      if (slot == 0) {
        return add(columns, row, hash, at);
      }
      if ((int) (slot >>> 32) == hash && equal((int) slot - 1, columns, row)) {
        return (int) slot - 1;
      }
      at = (at + 1) & mask;
    }
  }

  private int findOne(Column[] columns, int row, int hash) {
    int at = hash & mask;
    while (true) {
      long slot = slots[at];
      if (slot == 0) {
        return -1;
      }
      if ((int) (slot >>> 32) == hash && equal((int) slot - 1, columns, row)) {
        return (int) slot - 1;
      }
      at = (at + 1) & mask;
    }
  }

  private boolean equal(int number, Column[] columns, int row) {
    for (int k = 0; k < keys.length; k++) {
      if (!keys[k].equalAt(number, columns[k], row)) {
        return false;
      }
    }
    return true;
  }

  private int add(Column[] columns, int row, int hash, int at) {
    for (int k = 0; k < keys.length; k++) {
      keys[k].append(columns[k], row);
    }
    slots[at] = (long) hash << 32 | (count + 1);
    return count++;
  }

  private void ensureRoom(int more) {
    long needed = 2L * ((long) count + more);
    if (needed <= slots.length) {
      return;
    }
    if (needed > 1 << 30) {
      throw new MemoryExceededException(
          "More than %,d distinct keys in one step".formatted(1 << 29));
    }
    int size = Integer.highestOneBit((int) needed - 1) << 1;
    long[] grown = new long[size];
    int grownMask = size - 1;
    for (long slot : slots) {
      if (slot != 0) {
        int at = (int) (slot >>> 32) & grownMask;
        while (grown[at] != 0) {
          at = (at + 1) & grownMask;
        }
        grown[at] = slot;
      }
    }
    slots = grown;
    mask = grownMask;
  }
}

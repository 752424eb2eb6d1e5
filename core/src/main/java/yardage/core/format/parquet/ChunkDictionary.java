package yardage.core.format.parquet;

import java.util.Arrays;
import yardage.core.column.*;

/**
 * Numbers the different values of a column in the order in which they first come. It gives up
 * beyond 2^15 of them, or when more than half of the first rows are different. One thread at a
 * time; reusable.
 *
 * <p>The table of hashes grows with the values, so that few stay in the processor's cache; a value
 * that is the one before it, as in sorted columns, is not looked up.
 */
final class ChunkDictionary {
  private static final int MOST_ENTRIES = 1 << 15;
  private static final int SAMPLE_ROWS = 4096;
  private static final int FIRST_SLOTS = 1 << 9;

  /** So many slots for each entry, at least. */
  private static final int SPARSE = 4;

  private static final long MIX = 0x9E3779B97F4A7C15L;

  private int[] slots = new int[FIRST_SLOTS];
  private int mask;

  /** Of each entry: its first row, its hash, and what it is or begins with. */
  private final int[] rows = new int[MOST_ENTRIES];

  private final int[] hashes = new int[MOST_ENTRIES];
  private final long[] heads = new long[MOST_ENTRIES];
  private final int[] lengths = new int[MOST_ENTRIES];
  private int count;

  /** How many of them the first rows have. */
  private int early;

  private int[] codes = new int[0];

  /** Of each row, the number of its value; of nulls, what was there before. */
  int[] codes() {
    return codes;
  }

  /** The first row of each value. */
  int[] rows() {
    return rows;
  }

  /** How many different values there are, or -1 where a dictionary does not pay. */
  int build(Column column) {
    int n = column.size();
    if (column instanceof BooleanColumn) {
      return -1;
    }
    if (codes.length < n) {
      codes = new int[n];
    }
    clear();
    boolean pays;
    if (column instanceof LongColumn c) {
      pays = ofLongs(c.values(), c.nulls(), n);
    } else if (column instanceof IntColumn c) {
      pays = ofInts(c.values(), c.nulls(), n);
    } else if (column instanceof DoubleColumn c) {
      pays = ofDoubles(c.values(), c.nulls(), n);
    } else if (column instanceof WideColumn c) {
      pays = ofWides(c, n);
    } else {
      TextColumn c = (TextColumn) column;
      pays = c.isDictionary() && c.entryCount() <= MOST_ENTRIES ? ofEntries(c) : ofTexts(c, n);
    }
    return pays && (count <= n / 2 || n <= 64) ? count : -1;
  }

  private void clear() {
    mask = FIRST_SLOTS - 1;
    Arrays.fill(slots, 0, FIRST_SLOTS, 0);
    count = 0;
    early = 0;
  }

  /** Whether there is room for another, and so few were among the first that going on pays. */
  private boolean goesOn(int row) {
    return count < MOST_ENTRIES && (row < SAMPLE_ROWS || early <= SAMPLE_ROWS / 2);
  }

  private int add(int slot, int row, int hash, long head) {
    rows[count] = row;
    hashes[count] = hash;
    heads[count] = head;
    slots[slot] = ++count;
    early = row < SAMPLE_ROWS ? count : early;
    if (count * SPARSE > mask) {
      grow();
    }
    return count - 1;
  }

  private void grow() {
    int size = (mask + 1) * 2;
    if (slots.length < size) {
      slots = new int[size];
    } else {
      Arrays.fill(slots, 0, size, 0);
    }
    mask = size - 1;
    for (int e = 0; e < count; e++) {
      int at = hashes[e] & mask;
      while (slots[at] != 0) {
        at = at + 1 & mask;
      }
      slots[at] = e + 1;
    }
  }

  private static int hash(long v) {
    return (int) (v * MIX >>> 32);
  }

  /** The number of a value that is its head alone; -1 where there are too many. */
  private int numberOf(long value, int row) {
    int hash = hash(value);
    int at = hash & mask;
    for (int e; (e = slots[at]) != 0; at = at + 1 & mask) {
      if (heads[e - 1] == value) {
        return e - 1;
      }
    }
    return goesOn(row) ? add(at, row, hash, value) : -1;
  }

  private boolean ofLongs(long[] values, long[] nulls, int n) {
    int last = -1;
    for (int r = 0; r < n; r++) {
      if (nulls != null && Bits.get(nulls, r)) {
        continue;
      }
      if (last < 0 || heads[last] != values[r]) {
        last = numberOf(values[r], r);
        if (last < 0) {
          return false;
        }
      }
      codes[r] = last;
    }
    return true;
  }

  private boolean ofInts(int[] values, long[] nulls, int n) {
    int last = -1;
    for (int r = 0; r < n; r++) {
      if (nulls != null && Bits.get(nulls, r)) {
        continue;
      }
      if (last < 0 || heads[last] != values[r]) {
        last = numberOf(values[r], r);
        if (last < 0) {
          return false;
        }
      }
      codes[r] = last;
    }
    return true;
  }

  private boolean ofDoubles(double[] values, long[] nulls, int n) {
    for (int r = 0; r < n; r++) {
      if (nulls != null && Bits.get(nulls, r)) {
        continue;
      }
      int number = numberOf(Double.doubleToRawLongBits(values[r]), r);
      if (number < 0) {
        return false;
      }
      codes[r] = number;
    }
    return true;
  }

  private boolean ofWides(WideColumn column, int n) {
    long[] high = column.high();
    long[] low = column.low();
    for (int r = 0; r < n; r++) {
      if (column.isNull(r)) {
        continue;
      }
      int hash = hash(low[r] ^ high[r] * 31);
      int at = hash & mask;
      int e;
      while ((e = slots[at]) != 0 && (heads[e - 1] != low[r] || high[rows[e - 1]] != high[r])) {
        at = at + 1 & mask;
      }
      if (e == 0 && !goesOn(r)) {
        return false;
      }
      codes[r] = e == 0 ? add(at, r, hash, low[r]) : e - 1;
    }
    return true;
  }

  private boolean ofTexts(TextColumn text, int n) {
    int last = -1;
    for (int r = 0; r < n; r++) {
      if (text.isNull(r)) {
        continue;
      }
      last = numberOf(text, r, last);
      if (last < 0) {
        return false;
      }
      codes[r] = last;
    }
    return true;
  }

  /**
   * @param guess what it may well be; negative for none
   * @return -1 where there are too many
   */
  private int numberOf(TextColumn text, int row, int guess) {
    byte[] b = text.bytes();
    int from = text.start(row);
    int to = text.end(row);
    long head = TextHeads.head(b, from, to);
    if (guess >= 0 && same(text, guess, head, from, to)) {
      return guess;
    }
    int hash = hash(TextHeads.mixed(b, from, to, head));
    int at = hash & mask;
    for (int e; (e = slots[at]) != 0; at = at + 1 & mask) {
      if (same(text, e - 1, head, from, to)) {
        return e - 1;
      }
    }
    if (!goesOn(row)) {
      return -1;
    }
    lengths[count] = to - from;
    return add(at, row, hash, head);
  }

  /** Whether a text is that of an entry; a short one is its head. */
  private boolean same(TextColumn text, int entry, long head, int from, int to) {
    int length = to - from;
    if (heads[entry] != head || lengths[entry] != length) {
      return false;
    }
    if (length <= Long.BYTES) {
      return true;
    }
    byte[] b = text.bytes();
    int start = text.start(rows[entry]);
    return Arrays.equals(b, start + Long.BYTES, start + length, b, from + Long.BYTES, to);
  }

  /**
   * Codes that the column has already, renumbered without the entries that no row uses or that are
   * there twice.
   */
  private boolean ofEntries(TextColumn text) {
    int[] codeOf = new int[text.entryCount()];
    Arrays.fill(codeOf, -1);
    for (int r = 0; r < text.size(); r++) {
      if (text.isNull(r)) {
        continue;
      }
      int entry = text.entry(r);
      if (codeOf[entry] < 0) {
        codeOf[entry] = numberOf(text, r, -1);
        if (codeOf[entry] < 0) {
          return false;
        }
      }
      codes[r] = codeOf[entry];
    }
    return true;
  }
}

package yardage.core.exec;

import yardage.core.column.*;

/**
 * Numbers keys that are one whole number each, in order of first sight. Threads as for {@link
 * KeyTable}.
 *
 * <p>While they lie close together, as days, generated keys and codes do, a number stands at its
 * key's distance from a base. Otherwise a key lies beside its number, in open addressing, so that
 * looking one up takes one place in memory and one pass: a sum by 1,000 keys takes four fifths of
 * the time that it took with a pass each for hashing, finding and comparing.
 */
final class WholeKeys {
  private static final int FIRST_SLOTS = 1 << 8;
  private static final int MOST_SLOTS = 1 << 29;
  private static final int FIRST_SPAN = 1 << 10;

  /** Numbers of so many keys fit the processor's own cache with room to spare. */
  private static final int MOST_SPAN = 1 << 16;

  private static final int ROWS_AT_ONCE = 1 << 10;

  private static final int[] FAR_APART = new int[0];

  private final ColumnBuilder keys;

  /** By the distance from the base a number plus one, or 0; once keys lie too far apart, empty. */
  private int[] near = new int[FIRST_SPAN];

  private long base;

  /** A key, and its number plus one, or 0 where the slot is free. */
  private long[] slots = new long[2];

  private int mask;
  private int count;

  /** The number of null plus one, or 0. */
  private int ofNull;

  private long[] widened = new long[0];

  /**
   * @param keys gets each key that is new
   */
  WholeKeys(ColumnBuilder keys) {
    this.keys = keys;
  }

  static boolean areOf(Type[] types) {
    return types.length == 1 && isWhole(types[0]);
  }

  static boolean isWhole(Type type) {
    return switch (type.held()) {
      case INTS, LONGS -> true;
      case TRUTHS, WIDES, DOUBLES, BYTES, STRUCTS, LISTS -> false;
    };
  }

  int count() {
    return count;
  }

  long sizeBytes() {
    return (long) Long.BYTES * (slots.length + widened.length) + (long) Integer.BYTES * near.length;
  }

  /** The numbers of the rows' keys into {@code out}, adding keys that are new. */
  void numberOf(Column column, int rows, int[] out) {
    if (widened.length < rows && column instanceof IntColumn) {
      widened = new long[rows];
    }
    long[] values = longs(column, rows, widened);
    int done = near.length > 0 ? numberNear(values, column, rows, out) : 0;
    if (done == rows) {
      return;
    }
    boolean nulls = column.hasNulls();
    for (int from = done; from < rows; from += ROWS_AT_ONCE) {
      int to = Math.min(rows, from + ROWS_AT_ONCE);
      // For some at once: the loop is faster where nothing in it moves the slots, and a table for
      // many rows to come would be larger than its keys need.
      ensureRoom(to - from);
      for (int i = from; i < to; i++) {
        out[i] =
            nulls && column.isNull(i) ? numberOfNull(column, i) : numberOf(values[i], column, i);
      }
    }
  }

  private static long[] longs(Column column, int rows, long[] widened) {
    if (column instanceof LongColumn c) {
      return c.values();
    }
    int[] values = ((IntColumn) column).values();
    for (int i = 0; i < rows; i++) {
      widened[i] = values[i];
    }
    return widened;
  }

  /** How many rows were done before a key came that lies too far from the others. */
  private int numberNear(long[] values, Column column, int rows, int[] out) {
    boolean nulls = column.hasNulls();
    int[] numbers = near;
    long from = base;
    for (int i = 0; i < rows; i++) {
      if (nulls && column.isNull(i)) {
        out[i] = numberOfNull(column, i);
        continue;
      }
      // Exact where it wraps around, too: base and span do not.
      long at = values[i] - from;
      int number = at >= 0 && at < numbers.length ? numbers[(int) at] : 0;
      if (number == 0) {
        if (!addNear(values[i], column, i)) {
          return i;
        }
        number = count;
        numbers = near;
        from = base;
      }
      out[i] = number - 1;
    }
    return rows;
  }

  private boolean addNear(long key, Column column, int row) {
    if (!spans(key)) {
      moveApart();
      return false;
    }
    keys.append(column, row);
    near[(int) (key - base)] = ++count;
    return true;
  }

  /** Whether a key lies in the span, which is moved or widened for it where it may be. */
  private boolean spans(long key) {
    long at = key - base;
    if (at >= 0 && at < near.length) {
      return true;
    }
    boolean isFirst = count == (ofNull == 0 ? 0 : 1);
    long low = isFirst ? key : Math.min(key, base);
    long high = isFirst ? key : Math.max(key, base + near.length - 1);
    long span = high - low + 1;
    if (span <= 0 || span > MOST_SPAN) {
      return false;
    }
    // Twice as much on the side where keys come, so that a sorted column does not widen it often.
    int size = (int) Math.min(MOST_SPAN, Math.max(near.length, 2 * span));
    long start = key < base && !isFirst ? high - size + 1 : low;
    start = start > high ? low : Math.min(start, Long.MAX_VALUE - size + 1);
    int[] moved = new int[size];
    if (!isFirst) {
      System.arraycopy(near, 0, moved, (int) (base - start), near.length);
    }
    near = moved;
    base = start;
    return true;
  }

  private void moveApart() {
    int[] numbers = near;
    near = FAR_APART;
    ensureRoom(1);
    for (int i = 0; i < numbers.length; i++) {
      if (numbers[i] != 0) {
        put(slots, mask, base + i, numbers[i]);
      }
    }
  }

  private static void put(long[] slots, int mask, long key, long number) {
    int at = Hashing.mix(key) & mask;
    while (slots[2 * at + 1] != 0) {
      at = at + 1 & mask;
    }
    slots[2 * at] = key;
    slots[2 * at + 1] = number;
  }

  private int numberOf(long key, Column column, int row) {
    long[] s = slots;
    int at = Hashing.mix(key) & mask;
    long number;
    while ((number = s[2 * at + 1]) != 0 && s[2 * at] != key) {
      at = at + 1 & mask;
    }
    if (number == 0) {
      keys.append(column, row);
      s[2 * at] = key;
      number = ++count;
      s[2 * at + 1] = number;
    }
    return (int) number - 1;
  }

  private int numberOfNull(Column column, int row) {
    if (ofNull == 0) {
      keys.append(column, row);
      ofNull = ++count;
    }
    return ofNull - 1;
  }

  /**
   * The numbers of the rows' keys into {@code out}, -1 where the key is not there.
   *
   * @param widened of the calling thread, for as many rows
   */
  void find(Column column, int rows, int[] out, long[] widened) {
    long[] values = longs(column, rows, widened);
    int[] numbers = near;
    if (numbers.length > 0) {
      for (int i = 0; i < rows; i++) {
        long at = values[i] - base;
        out[i] = at >= 0 && at < numbers.length ? numbers[(int) at] - 1 : -1;
      }
    } else {
      for (int i = 0; i < rows; i++) {
        out[i] = find(values[i]);
      }
    }
    for (int i = 0; column.hasNulls() && i < rows; i++) {
      out[i] = column.isNull(i) ? ofNull - 1 : out[i];
    }
  }

  private int find(long key) {
    long[] s = slots;
    int at = Hashing.mix(key) & mask;
    long number;
    while ((number = s[2 * at + 1]) != 0 && s[2 * at] != key) {
      at = at + 1 & mask;
    }
    return (int) number - 1;
  }

  /** Makes room for so many more keys, unless they lie close together. */
  void ensureRoom(int more) {
    if (near.length > 0) {
      return;
    }
    // At most two thirds of the slots are taken.
    long needed = Math.max(FIRST_SLOTS, 3 * ((long) count + more) / 2);
    if (needed <= mask + 1) {
      return;
    }
    if (needed > MOST_SLOTS) {
      throw new MemoryExceededException(
          "More than %,d distinct keys in one step".formatted(MOST_SLOTS / 3 * 2));
    }
    int size = Integer.highestOneBit((int) needed - 1) << 1;
    long[] grown = new long[2 * size];
    for (int from = 0; from < slots.length; from += 2) {
      if (slots[from + 1] != 0) {
        put(grown, size - 1, slots[from], slots[from + 1]);
      }
    }
    slots = grown;
    mask = size - 1;
  }
}

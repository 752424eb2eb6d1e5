package yardage.core.plan;

import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.IntColumn;
import yardage.core.column.LongColumn;

/** A set of whole numbers that lie not too far apart: a bit for each. Immutable. */
public final class KeyBits {
  private final long smallest;
  private final int count;
  private final long[] bits;

  private KeyBits(long smallest, int count) {
    this.smallest = smallest;
    this.count = count;
    bits = Bits.allocate(count);
  }

  /**
   * The values of a column without its nulls.
   *
   * @param keys of ints or longs
   * @param smallest of them
   * @param count of the numbers from the smallest to the largest
   */
  public static KeyBits of(Column keys, long smallest, int count) {
    KeyBits out = new KeyBits(smallest, count);
    for (int r = 0; r < keys.size(); r++) {
      if (!keys.isNull(r)) {
        Bits.set(out.bits, (int) (value(keys, r) - smallest));
      }
    }
    return out;
  }

  private static long value(Column column, int row) {
    return column instanceof IntColumn ints
        ? ints.values()[row]
        : ((LongColumn) column).values()[row];
  }

  /** Whether a column of ints or longs has one of them in a row; null is none. */
  public boolean has(Column column, int row) {
    return !column.isNull(row) && has(value(column, row));
  }

  public boolean has(long value) {
    // The difference wraps around where the two lie very far apart.
    long place = value - smallest;
    return value >= smallest
        && place >= 0
        && place < count
        && (bits[(int) (place >> 6)] & (1L << place)) != 0;
  }
}

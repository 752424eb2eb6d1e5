package yardage.core.plan;

import java.util.function.LongConsumer;
import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.Values;

/** A set of whole numbers that lie not too far apart: a bit for each. Immutable. */
public final class KeyBits {
  private final long smallest;
  private final int count;
  private final long[] bits;
  private final int size;

  private KeyBits(long smallest, int count, long[] bits) {
    this.smallest = smallest;
    this.count = count;
    this.bits = bits;
    this.size = Bits.count(bits, count);
  }

  /**
   * The values of a column without its nulls.
   *
   * @param keys of ints or longs
   * @param smallest of them
   * @param count of the numbers from the smallest to the largest
   */
  public static KeyBits of(Column keys, long smallest, int count) {
    long[] bits = Bits.allocate(count);
    for (int r = 0; r < keys.size(); r++) {
      if (!keys.isNull(r)) {
        Bits.set(bits, (int) (Values.whole(keys, r) - smallest));
      }
    }
    return new KeyBits(smallest, count, bits);
  }

  /** A number alone. */
  public static KeyBits of(long only) {
    return new KeyBits(only, 1, new long[] {1});
  }

  /** How many different ones there are. */
  public int size() {
    return size;
  }

  /** Gives each, in order. */
  public void forEach(LongConsumer taker) {
    Bits.forEach(bits, bit -> taker.accept(smallest + bit));
  }

  /** Whether a column of ints or longs has one of them in a row; null is none. */
  public boolean has(Column column, int row) {
    return !column.isNull(row) && has(Values.whole(column, row));
  }

  public boolean has(long value) {
    return at(value) != 0;
  }

  /** Whether one of them lies between two numbers, or is one of the two. */
  public boolean hasBetween(long from, long to) {
    // Places beyond a long are beyond the last bit or before the first, too.
    long first = from <= smallest ? 0 : from - smallest;
    long last = Math.min(count - 1L, to - smallest);
    if (to < smallest || first < 0 || first > last) {
      return false;
    }
    int word = (int) (first >> 6);
    int end = (int) (last >> 6);
    long head = -1L << first;
    long tail = -1L >>> 63 - (last & 63);
    if (word == end) {
      return (bits[word] & head & tail) != 0;
    }
    boolean any = (bits[word] & head) != 0 || (bits[end] & tail) != 0;
    for (word++; word < end && !any; word++) {
      any = bits[word] != 0;
    }
    return any;
  }

  /**
   * The places of those of some values that are among them, in order.
   *
   * @param first the place of the first value
   * @param out takes them from {@code found} on
   * @param few whether hardly any are expected: a branch that is not taken costs half of what
   *     adding up each answer does, and several times as much where they change
   * @return {@code found} and how many these are
   */
  public int places(long[] values, int n, int first, int[] out, int found, boolean few) {
    return few ? few(values, n, first, out, found) : many(values, n, first, out, found);
  }

  private int few(long[] values, int n, int first, int[] out, int found) {
    for (int i = 0; i < n; i++) {
      long place = values[i] - smallest;
      if (Long.compareUnsigned(place, count) < 0 && (bits[(int) (place >> 6)] >>> place & 1) != 0) {
        out[found++] = first + i;
      }
    }
    return found;
  }

  private int many(long[] values, int n, int first, int[] out, int found) {
    for (int i = 0; i < n; i++) {
      out[found] = first + i;
      found += at(values[i]);
    }
    return found;
  }

  /** 1 for a value that is among them, 0 for another. */
  private int at(long value) {
    // A difference that wraps around is no place: the largest number is a long, too.
    long place = value - smallest;
    return place >= 0 && place < count ? (int) (bits[(int) (place >> 6)] >>> place) & 1 : 0;
  }
}

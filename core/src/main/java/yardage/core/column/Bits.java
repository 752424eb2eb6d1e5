package yardage.core.column;

import java.util.function.IntConsumer;

/**
 * Bitmaps in {@code long[]}; bit {@code i} lives in word {@code i >> 6}. A null array is all zeros.
 */
public final class Bits {
  private Bits() {}

  public static long[] allocate(int bitCount) {
    return new long[(bitCount + 63) >>> 6];
  }

  public static boolean get(long[] bits, int index) {
    return bits != null && (bits[index >> 6] & (1L << index)) != 0;
  }

  public static void set(long[] bits, int index) {
    bits[index >> 6] |= 1L << index;
  }

  public static int count(long[] bits, int bitCount) {
    if (bits == null) {
      return 0;
    }
    int n = 0;
    int full = bitCount >>> 6;
    for (int i = 0; i < full; i++) {
      n += Long.bitCount(bits[i]);
    }
    int rest = bitCount & 63;
    return rest == 0 ? n : n + Long.bitCount(bits[full] & ((1L << rest) - 1));
  }

  /** Gives the place of each bit that is set, in order. */
  public static void forEach(long[] bits, IntConsumer taker) {
    for (int w = 0; w < bits.length; w++) {
      for (long left = bits[w]; left != 0; left &= left - 1) {
        taker.accept((w << 6) + Long.numberOfTrailingZeros(left));
      }
    }
  }

  /** The union of two bitmaps of the same length; either may be null, and is then not copied. */
  public static long[] or(long[] a, long[] b) {
    if (a == null) {
      return b;
    }
    if (b == null || a == b) {
      return a;
    }
    long[] out = new long[Math.min(a.length, b.length)];
    for (int i = 0; i < out.length; i++) {
      out[i] = a[i] | b[i];
    }
    return out;
  }
}

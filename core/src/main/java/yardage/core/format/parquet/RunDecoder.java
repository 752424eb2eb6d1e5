package yardage.core.format.parquet;

import yardage.core.format.FileFormatException;

/** Reads the hybrid of repeated and packed runs. */
final class RunDecoder {
  private RunDecoder() {}

  /** Whether {@code count} values of one bit are one run of ones. */
  static boolean areOnes(byte[] b, int at, int end, int count) {
    if (count == 0) {
      return true;
    }
    int header = header(b, at, end, 0, count);
    return (header & 1) == 0 && header >>> 1 >= count && b[at + headerBytes(b, at)] == 1;
  }

  /**
   * Decodes {@code count} values of {@code bitWidth} bits from {@code b[at, end)} into {@code out}.
   */
  static void decode(byte[] b, int at, int end, int bitWidth, int count, int[] out) {
    int n = 0;
    int valueBytes = (bitWidth + 7) / 8;
    while (n < count) {
      int header = header(b, at, end, n, count);
      at += headerBytes(b, at);
      if ((header & 1) == 0) {
        int run = Math.min(header >>> 1, count - n);
        int value = repeated(b, at, valueBytes);
        at += valueBytes;
        java.util.Arrays.fill(out, n, n + run, value);
        n += run;
      } else {
        int packedBytes = (header >>> 1) * bitWidth;
        int run = (int) Math.min(((long) header >>> 1) * 8, count - n);
        int done = bitWidth <= 16 ? eights(b, at, bitWidth, run, out, n) : 0;
        for (int i = done; i < run; i++) {
          out[n + i] = packed(b, at, bitWidth, i);
        }
        n += run;
        at += packedBytes;
      }
    }
  }

  /**
   * As {@link #decode(byte[], int, int, int, int, int[])}, only the values at some places, which go
   * up.
   */
  static void decode(byte[] b, int at, int end, int bitWidth, int[] places, int count, int[] out) {
    int first = 0;
    int n = 0;
    int valueBytes = (bitWidth + 7) / 8;
    while (n < count) {
      int header = header(b, at, end, n, count);
      at += headerBytes(b, at);
      if ((header & 1) == 0) {
        int behind = first + (header >>> 1);
        int value = repeated(b, at, valueBytes);
        at += valueBytes;
        while (n < count && places[n] < behind) {
          out[n++] = value;
        }
        first = behind;
      } else {
        int behind = first + (header >>> 1) * 8;
        while (n < count && places[n] < behind) {
          out[n] = packed(b, at, bitWidth, places[n] - first);
          n++;
        }
        first = behind;
        at += (header >>> 1) * bitWidth;
      }
    }
  }

  /** The head of a run, as a number of seven bits a byte. */
  private static int header(byte[] b, int at, int end, int n, int count) {
    int header = 0;
    int shift = 0;
    int next;
    do {
      if (at >= end || shift > 28) {
        throw new FileFormatException(
            "A page ends inside a run: %d of %d values read".formatted(n, count));
      }
      next = b[at++];
      header |= (next & 0x7f) << shift;
      shift += 7;
    } while (next < 0);
    return header;
  }

  /** As many as were written; a writer may have used more than the number needs. */
  private static int headerBytes(byte[] b, int at) {
    int n = 1;
    while (b[at + n - 1] < 0) {
      n++;
    }
    return n;
  }

  private static int repeated(byte[] b, int at, int valueBytes) {
    int value = 0;
    for (int i = 0; i < valueBytes; i++) {
      value |= (b[at + i] & 0xff) << 8 * i;
    }
    return value;
  }

  /** One of the values that are packed behind each other. */
  private static int packed(byte[] b, int at, int bitWidth, int place) {
    long bitAt = (long) at * 8 + (long) place * bitWidth;
    int byteAt = (int) (bitAt >>> 3);
    long word = byteAt + 8 <= b.length ? PageBuffer.getLong(b, byteAt) : tail(b, byteAt);
    return (int) (word >>> (bitAt & 7) & (1L << bitWidth) - 1);
  }

  /**
   * Values of at most 16 bits, eight at a time: eight of them begin with a byte, and four fit a
   * long.
   *
   * @return how many; those behind them are left to others
   */
  private static int eights(byte[] b, int at, int bitWidth, int run, int[] out, int n) {
    int mask = (1 << bitWidth) - 1;
    int half = 4 * bitWidth >>> 3;
    int rest = 4 * bitWidth & 7;
    int i = 0;
    for (; i + 8 <= run && at + half + 8 <= b.length; i += 8) {
      long first = PageBuffer.getLong(b, at);
      long second = PageBuffer.getLong(b, at + half) >>> rest;
      int o = n + i;
      out[o] = (int) first & mask;
      out[o + 1] = (int) (first >>> bitWidth) & mask;
      out[o + 2] = (int) (first >>> 2 * bitWidth) & mask;
      out[o + 3] = (int) (first >>> 3 * bitWidth) & mask;
      out[o + 4] = (int) second & mask;
      out[o + 5] = (int) (second >>> bitWidth) & mask;
      out[o + 6] = (int) (second >>> 2 * bitWidth) & mask;
      out[o + 7] = (int) (second >>> 3 * bitWidth) & mask;
      at += bitWidth;
    }
    return i;
  }

  private static long tail(byte[] b, int at) {
    long word = 0;
    for (int i = 0; at + i < b.length; i++) {
      word |= (b[at + i] & 0xffL) << 8 * i;
    }
    return word;
  }
}

package yardage.core.format.parquet;

import yardage.core.format.FileFormatException;

/** Reads the hybrid of repeated and packed runs. */
final class RunDecoder {
  private RunDecoder() {}

  /**
   * Decodes {@code count} values of {@code bitWidth} bits from {@code b[at, end)} into {@code out}.
   */
  static void decode(byte[] b, int at, int end, int bitWidth, int count, int[] out) {
    int n = 0;
    int valueBytes = (bitWidth + 7) / 8;
    long mask = (1L << bitWidth) - 1;
    while (n < count) {
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
      if ((header & 1) == 0) {
        int run = Math.min(header >>> 1, count - n);
        int value = 0;
        for (int i = 0; i < valueBytes; i++) {
          value |= (b[at++] & 0xff) << 8 * i;
        }
        java.util.Arrays.fill(out, n, n + run, value);
        n += run;
      } else {
        int packedBytes = (header >>> 1) * bitWidth;
        int run = (int) Math.min(((long) header >>> 1) * 8, count - n);
        long bitAt = (long) at * 8;
        for (int i = 0; i < run; i++) {
          int byteAt = (int) (bitAt >>> 3);
          long word = byteAt + 8 <= b.length ? PageBuffer.getLong(b, byteAt) : tail(b, byteAt);
          out[n + i] = (int) (word >>> (bitAt & 7) & mask);
          bitAt += bitWidth;
        }
        n += run;
        at += packedBytes;
      }
    }
  }

  private static long tail(byte[] b, int at) {
    long word = 0;
    for (int i = 0; at + i < b.length; i++) {
      word |= (b[at + i] & 0xffL) << 8 * i;
    }
    return word;
  }
}

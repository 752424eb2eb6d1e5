package yardage.core.format.parquet;

/** The first bytes of texts as numbers, by which most of them are told apart. */
final class TextHeads {
  private static final long MIX = 0xC2B2AE3D27D4EB4FL;

  private TextHeads() {}

  /** The first eight bytes, the first one the lowest, with zeros behind a shorter text. */
  static long head(byte[] b, int from, int to) {
    int length = to - from;
    if (from + Long.BYTES <= b.length) {
      long v = PageBuffer.getLong(b, from);
      return length >= Long.BYTES ? v : length == 0 ? 0 : v & -1L >>> 64 - 8 * length;
    }
    long v = 0;
    for (int i = 0; i < Math.min(length, Long.BYTES); i++) {
      v |= (b[from + i] & 0xFFL) << 8 * i;
    }
    return v;
  }

  /** As texts order: compared as signed numbers. */
  static long ordered(long head) {
    return Long.reverseBytes(head) ^ Long.MIN_VALUE;
  }

  /** All bytes and the length in one number. */
  static long mixed(byte[] b, int from, int to, long head) {
    long v = head ^ (to - from) * MIX;
    for (int at = from + Long.BYTES; at < to; at += Long.BYTES) {
      v = (v ^ v >>> 29) * MIX ^ head(b, at, to);
    }
    return v ^ v >>> 32;
  }
}

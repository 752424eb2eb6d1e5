package yardage.core.format.record;

/** Whether bytes are well-formed UTF-8 as Unicode's table 3-7 has it. */
public final class Utf8 {
  private Utf8() {}

  /** What is wrong with the bytes as text, or null. */
  public static Reason check(byte[] b, int start, int end) {
    int i = start;
    while (i < end) {
      int c = b[i++];
      if (c > 0) {
        continue;
      }
      if (c == 0) {
        return Reason.NUL_CHARACTER;
      }
      int lead = c & 0xff;
      int more =
          lead >= 0xc2 && lead <= 0xdf
              ? 1
              : lead >= 0xe0 && lead <= 0xef ? 2 : lead >= 0xf0 && lead <= 0xf4 ? 3 : -1;
      if (more < 0 || i + more > end) {
        return Reason.BAD_ENCODING;
      }
      int second = b[i] & 0xff;
      int low = lead == 0xe0 ? 0xa0 : lead == 0xf0 ? 0x90 : 0x80;
      int high = lead == 0xed ? 0x9f : lead == 0xf4 ? 0x8f : 0xbf;
      if (second < low || second > high) {
        return Reason.BAD_ENCODING;
      }
      for (int k = 1; k < more; k++) {
        if ((b[i + k] & 0xc0) != 0x80) {
          return Reason.BAD_ENCODING;
        }
      }
      i += more;
    }
    return null;
  }

  /**
   * Writes a code point at {@code out[n]} and gives where the next goes. Half a surrogate pair gets
   * the three bytes that its number would have, which {@link #check} refuses.
   */
  public static int put(int c, byte[] out, int n) {
    if (c < 0x80) {
      out[n++] = (byte) c;
    } else if (c < 0x800) {
      out[n++] = (byte) (0xC0 | c >> 6);
      out[n++] = (byte) (0x80 | c & 0x3F);
    } else if (c < 0x10000) {
      out[n++] = (byte) (0xE0 | c >> 12);
      out[n++] = (byte) (0x80 | c >> 6 & 0x3F);
      out[n++] = (byte) (0x80 | c & 0x3F);
    } else {
      out[n++] = (byte) (0xF0 | c >> 18);
      out[n++] = (byte) (0x80 | c >> 12 & 0x3F);
      out[n++] = (byte) (0x80 | c >> 6 & 0x3F);
      out[n++] = (byte) (0x80 | c & 0x3F);
    }
    return n;
  }
}

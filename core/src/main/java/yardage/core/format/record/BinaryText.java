package yardage.core.format.record;

import java.util.List;
import yardage.core.column.Type;
import yardage.core.column.WideColumn;

/** The ways in which files write bytes as text, read without making objects. */
enum BinaryText {
  /** Two hexadecimal digits a byte, of either case. */
  HEX,
  /** RFC 4648, section 4 or 5 (for addresses), with its padding or without. */
  BASE64;

  private static final int[] PLACES_OF_HYPHENS = {8, 13, 18, 23};
  private static final int UUID_DIGITS = 32;

  /**
   * @throws IllegalArgumentException for other formats, or several
   */
  static BinaryText of(List<String> formats) {
    if (formats.isEmpty() || formats.equals(List.of("hex"))) {
      return HEX;
    }
    if (formats.equals(List.of("base64"))) {
      return BASE64;
    }
    throw new IllegalArgumentException(
        "Format %s is none of binary values: it is hex or base64".formatted(formats));
  }

  /**
   * Puts the bytes that a text means into {@code out}, which must have room for as many as the text
   * has characters. Returns how many there are, or -1 where the text is not written so.
   */
  int read(byte[] b, int start, int end, byte[] out, int at) {
    return this == HEX ? hex(b, start, end, out, at) : base64(b, start, end, out, at);
  }

  private static int hex(byte[] b, int start, int end, byte[] out, int at) {
    if ((end - start & 1) != 0) {
      return -1;
    }
    for (int i = start; i < end; i += 2) {
      int high = Character.digit(b[i], 16);
      int low = Character.digit(b[i + 1], 16);
      if ((high | low) < 0) {
        return -1;
      }
      out[at + (i - start) / 2] = (byte) (high << 4 | low);
    }
    return (end - start) / 2;
  }

  private static int base64(byte[] b, int start, int end, byte[] out, int at) {
    int stop = end;
    while (stop > start && end - stop < 2 && b[stop - 1] == '=') {
      stop--;
    }
    int digits = stop - start;
    if (digits % 4 == 1 || stop < end && (end - start) % 4 != 0) {
      return -1;
    }
    int bits = 0;
    int held = 0;
    int n = 0;
    for (int i = start; i < stop; i++) {
      int digit = digit(b[i]);
      if (digit < 0) {
        return -1;
      }
      held = held << 6 | digit;
      bits += 6;
      if (bits >= 8) {
        bits -= 8;
        out[at + n++] = (byte) (held >> bits);
      }
    }
    // Bits that are left over mean nothing, and must say so.
    return (held & (1 << bits) - 1) == 0 ? n : -1;
  }

  private static int digit(byte c) {
    if (c >= 'A' && c <= 'Z') {
      return c - 'A';
    } else if (c >= 'a' && c <= 'z') {
      return c - 'a' + 26;
    } else if (c >= '0' && c <= '9') {
      return c - '0' + 52;
    }
    return c == '+' || c == '-' ? 62 : c == '/' || c == '_' ? 63 : -1;
  }

  /**
   * Reads a UUID of 32 hexadecimal digits, with hyphens at their places (RFC 9562, section 4) or
   * without, as a {@link WideColumn} holds it; says whether it is one.
   */
  static boolean uuid(byte[] b, int start, int end, long[] high, long[] low, int row) {
    int length = end - start;
    boolean hyphens = length == UUID_DIGITS + PLACES_OF_HYPHENS.length;
    if (length != UUID_DIGITS && !hyphens) {
      return false;
    }
    long h = 0;
    long l = 0;
    int next = 0;
    for (int i = 0; i < length; i++) {
      if (hyphens && next < PLACES_OF_HYPHENS.length && i == PLACES_OF_HYPHENS[next]) {
        next++;
        if (b[start + i] != '-') {
          return false;
        }
        continue;
      }
      int digit = Character.digit(b[start + i], 16);
      if (digit < 0) {
        return false;
      }
      h = h << 4 | l >>> 60;
      l = l << 4 | digit;
    }
    high[row] = h ^ WideColumn.turn(Type.UUID);
    low[row] = l;
    return true;
  }
}

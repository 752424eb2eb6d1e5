package yardage.core.format.xml;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import yardage.core.format.record.Swar;
import yardage.core.format.record.Utf8;

/** Text as UTF-8 that grows; sixteen more bytes behind it can be read. One thread at a time. */
final class Utf8Buffer {
  private static final int PADDING = 16;

  byte[] bytes = new byte[1 << 10];
  int length;

  /** Appends {@code from[start, end)}; eight bytes behind it can be read. */
  void append(byte[] from, int start, int end) {
    room(end - start);
    if (end - start <= Swar.SHORT_BYTES) {
      Swar.copy(from, start, bytes, length, end - start);
    } else {
      System.arraycopy(from, start, bytes, length, end - start);
    }
    length += end - start;
  }

  void append(char[] from, int start, int chars) {
    room(chars * 3);
    for (int i = start; i < start + chars; i++) {
      char c = from[i];
      if (Character.isHighSurrogate(c)
          && i + 1 < start + chars
          && Character.isLowSurrogate(from[i + 1])) {
        length = Utf8.put(Character.toCodePoint(c, from[++i]), bytes, length);
      } else {
        length = Utf8.put(c, bytes, length);
      }
    }
  }

  void append(int codePoint) {
    room(4);
    length = Utf8.put(codePoint, bytes, length);
  }

  String text(int start) {
    return new String(bytes, start, length - start, StandardCharsets.UTF_8);
  }

  private void room(int more) {
    if (length + more + PADDING > bytes.length) {
      bytes = Arrays.copyOf(bytes, Math.max(length + more + PADDING, bytes.length * 2));
    }
  }
}

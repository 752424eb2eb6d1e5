package yardage.core.format.xml;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import yardage.core.format.record.Swar;

/**
 * A set of short texts, looked up by their bytes: names, so that nothing is made for one that was
 * seen before, and values. Holds no more than some thousand. One thread at a time.
 */
final class KnownTexts {
  private static final int MOST = 1 << 12;
  private static final long MIX = 0x9E3779B97F4A7C15L;

  private String[] names = new String[256];
  private byte[][] bytes = new byte[256][];
  private long[] firsts = new long[256];
  private int count;

  /**
   * The text {@code b[start, end)}, each byte a character; the same object for the same bytes while
   * there is room. Eight bytes behind the start can be read.
   */
  String text(byte[] b, int start, int end) {
    int at = find(b, start, end);
    return names[at] != null ? names[at] : add(at, b, start, end);
  }

  /** Whether {@link #text} was asked for these bytes before, and there was room for them. */
  boolean holds(byte[] b, int start, int end) {
    return names[find(b, start, end)] != null;
  }

  private int find(byte[] b, int start, int end) {
    int length = end - start;
    long first = (long) Swar.LONG.get(b, start);
    if (length <= 8) {
      first = shifted(first, length);
    }
    int mask = names.length - 1;
    int at = slot(hash(first, b, start, end));
    while (names[at] != null) {
      byte[] known = bytes[at];
      if (firsts[at] == first
          && known.length == length
          && (length <= 8 || Arrays.equals(known, 0, length, b, start, end))) {
        return at;
      }
      at = at + 1 & mask;
    }
    return at;
  }

  private String add(int at, byte[] b, int start, int end) {
    String text = new String(b, start, end - start, StandardCharsets.ISO_8859_1);
    if (count < MOST) {
      int length = end - start;
      long first = (long) Swar.LONG.get(b, start);
      names[at] = text;
      firsts[at] = length <= 8 ? shifted(first, length) : first;
      bytes[at] = Arrays.copyOfRange(b, start, end);
      if (++count * 2 > names.length) {
        grow();
      }
    }
    return text;
  }

  private static long shifted(long first, int length) {
    return length == 0 ? 0 : first << (8 - length << 3);
  }

  private void grow() {
    String[] oldNames = names;
    byte[][] oldBytes = bytes;
    long[] oldFirsts = firsts;
    int size = oldNames.length * 2;
    names = new String[size];
    bytes = new byte[size][];
    firsts = new long[size];
    for (int i = 0; i < oldNames.length; i++) {
      if (oldNames[i] != null) {
        byte[] known = oldBytes[i];
        int at = slot(hash(oldFirsts[i], Arrays.copyOf(known, known.length + 8), 0, known.length));
        while (names[at] != null) {
          at = at + 1 & size - 1;
        }
        names[at] = oldNames[i];
        bytes[at] = known;
        firsts[at] = oldFirsts[i];
      }
    }
  }

  private int slot(long hash) {
    return (int) (hash >>> 40) & names.length - 1;
  }

  private static long hash(long first, byte[] b, int start, int end) {
    long hash = (first ^ end - start) * MIX;
    return end - start <= 8 ? hash : (hash ^ (long) Swar.LONG.get(b, end - 8)) * MIX;
  }
}

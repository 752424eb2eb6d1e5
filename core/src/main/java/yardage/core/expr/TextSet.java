package yardage.core.expr;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.TextBuilder;
import yardage.core.column.TextColumn;

/**
 * A set of texts, with open addressing. Short ones are held as numbers, which costs a third of
 * comparing bytes. Immutable.
 */
final class TextSet {
  /** So many bytes and their number fit into a long. */
  private static final int SHORT_BYTES = 7;

  /** So few are looked at one by one, without a branch that is hard to foresee. */
  private static final int FEW = 8;

  /** Short ones in a table, with 0 where there is none; all there are when {@code areFew}. */
  private final long[] shorts;

  private final boolean areFew;

  private final TextColumn longer;

  /** One more than a place in {@code longer}; 0 where there is none. */
  private final int[] slots;

  private TextSet(long[] shorts, boolean areFew, TextColumn longer, int[] slots) {
    this.shorts = shorts;
    this.areFew = areFew;
    this.longer = longer;
    this.slots = slots;
  }

  static TextSet of(List<Literal> values) {
    TextBuilder builder = new TextBuilder();
    values.forEach(v -> builder.appendAll(v.column(1)));
    TextColumn texts = builder.build();
    int n = texts.size();
    long[] few = new long[n];
    boolean areFew = n <= FEW;
    for (int e = 0; e < n && areFew; e++) {
      areFew = texts.end(e) - texts.start(e) <= SHORT_BYTES;
      few[e] = areFew ? packed(texts.bytes(), texts.start(e), texts.end(e)) : 0;
    }
    if (areFew) {
      return new TextSet(few, true, texts, new int[0]);
    }
    int room = Integer.highestOneBit(Math.max(1, texts.size())) * 4;
    TextSet out = new TextSet(new long[room], false, texts, new int[room]);
    for (int e = 0; e < texts.size(); e++) {
      out.add(e);
    }
    return out;
  }

  private void add(int e) {
    int start = longer.start(e);
    int end = longer.end(e);
    if (end - start <= SHORT_BYTES) {
      long text = packed(longer.bytes(), start, end);
      int at = first(text);
      while (shorts[at] != 0) {
        at = at + 1 & shorts.length - 1;
      }
      shorts[at] = text;
    } else {
      int at = first(longer.bytes(), start, end);
      while (slots[at] != 0) {
        at = at + 1 & slots.length - 1;
      }
      slots[at] = e + 1;
    }
  }

  /**
   * The bytes of a short text from the lowest on, and one more than their number as the highest.
   */
  private static long packed(byte[] bytes, int from, int to) {
    int length = to - from;
    long text = 0;
    if (from + Long.BYTES <= bytes.length) {
      text = (long) Texts.LONG.get(bytes, from) & (1L << 8 * length) - 1;
    } else {
      for (int i = to - 1; i >= from; i--) {
        text = text << 8 | bytes[i] & 0xFF;
      }
    }
    return text | length + 1L << 56;
  }

  private int first(long text) {
    long h = text * 0x9E3779B97F4A7C15L;
    return (int) (h >>> 40) & shorts.length - 1;
  }

  private int first(byte[] bytes, int from, int to) {
    int h = to - from;
    for (int i = from; i < to; i++) {
      h = 31 * h + bytes[i];
    }
    return (h ^ h >>> 15) & slots.length - 1;
  }

  /**
   * Whether parts of some bytes are among the texts: 1 or 0 for each.
   *
   * @param from where they begin, behind so many others
   * @param to where they end, behind so many others
   */
  void mark(byte[] bytes, int[] from, int fromSkipped, int[] to, int toSkipped, byte[] out) {
    if (areFew) {
      for (int i = 0; i < out.length; i++) {
        out[i] = hasFew(bytes, from[i + fromSkipped], to[i + toSkipped]);
      }
      return;
    }
    for (int i = 0; i < out.length; i++) {
      out[i] = has(bytes, from[i + fromSkipped], to[i + toSkipped]);
    }
  }

  private byte hasFew(byte[] bytes, int from, int to) {
    if (to - from > SHORT_BYTES) {
      return 0;
    }
    long text = packed(bytes, from, to);
    int found = 0;
    for (long one : shorts) {
      found |= one == text ? 1 : 0;
    }
    return (byte) found;
  }

  private byte has(byte[] bytes, int from, int to) {
    if (to - from <= SHORT_BYTES) {
      long text = packed(bytes, from, to);
      int at = first(text);
      while (shorts[at] != 0 && shorts[at] != text) {
        at = at + 1 & shorts.length - 1;
      }
      return (byte) (shorts[at] == 0 ? 0 : 1);
    }
    int at = first(bytes, from, to);
    while (slots[at] != 0 && !isAt(slots[at] - 1, bytes, from, to)) {
      at = at + 1 & slots.length - 1;
    }
    return (byte) (slots[at] == 0 ? 0 : 1);
  }

  private boolean isAt(int e, byte[] bytes, int from, int to) {
    return Arrays.equals(bytes, from, to, longer.bytes(), longer.start(e), longer.end(e));
  }
}

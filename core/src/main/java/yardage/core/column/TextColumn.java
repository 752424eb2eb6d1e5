package yardage.core.column;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.HexFormat;

/**
 * Text as UTF-8 bytes, or BINARY values. Entry {@code e} is {@code bytes[offsets[e], offsets[e +
 * 1])}; row {@code r} is entry {@code r}, or entry {@code codes[r]} when there are codes. Codes
 * serve both as dictionary coding and to take rows out of a column without copying bytes.
 */
public final class TextColumn extends Column {
  private final byte[] bytes;
  private final int[] offsets;
  private final int[] codes;
  private final int entryCount;

  private TextColumn(
      Type type, byte[] bytes, int[] offsets, int entryCount, int[] codes, long[] nulls, int size) {
    super(type, size, nulls);
    this.bytes = bytes;
    this.offsets = offsets;
    this.entryCount = entryCount;
    this.codes = codes;
  }

  /**
   * Plain text: {@code offsets} has at least {@code size + 1} values. Takes ownership of the
   * arrays.
   */
  public static TextColumn plain(byte[] bytes, int[] offsets, long[] nulls, int size) {
    return new TextColumn(Type.VARCHAR, bytes, offsets, size, null, nulls, size);
  }

  /**
   * Coded text: row {@code r} is entry {@code codes[r]} of {@code entryCount}. Takes ownership of
   * the arrays.
   */
  public static TextColumn coded(
      byte[] bytes, int[] offsets, int entryCount, int[] codes, long[] nulls, int size) {
    return new TextColumn(Type.VARCHAR, bytes, offsets, entryCount, codes, nulls, size);
  }

  public static TextColumn of(String... values) {
    TextBuilder builder = new TextBuilder();
    for (String value : values) {
      if (value == null) {
        builder.appendNull();
      } else {
        byte[] utf8 = value.getBytes(StandardCharsets.UTF_8);
        builder.append(utf8, 0, utf8.length);
      }
    }
    return builder.build();
  }

  /** The same value for every row, held once. */
  public static TextColumn constant(byte[] utf8, int size) {
    return coded(utf8, new int[] {0, utf8.length}, 1, new int[size], null, size);
  }

  public byte[] bytes() {
    return bytes;
  }

  public int[] offsets() {
    return offsets;
  }

  /** Entry numbers by row, or null when row and entry are the same. */
  public int[] codes() {
    return codes;
  }

  public int entryCount() {
    return entryCount;
  }

  /** Whether working once per entry is less work than once per row. */
  public boolean isDictionary() {
    return codes != null && entryCount < size();
  }

  public int entry(int row) {
    return codes == null ? row : codes[row];
  }

  public int start(int row) {
    return offsets[codes == null ? row : codes[row]];
  }

  public int end(int row) {
    return offsets[(codes == null ? row : codes[row]) + 1];
  }

  /** The entries themselves as a plain column without nulls. */
  public TextColumn entries() {
    return new TextColumn(type(), bytes, offsets, entryCount, null, null, entryCount);
  }

  /**
   * This column's codes and nulls over other entries: how a function of text works once per entry.
   */
  public TextColumn withEntries(TextColumn entries) {
    int[] mapped = codes;
    if (entries.codes != null) {
      mapped = new int[size()];
      for (int i = 0; i < mapped.length; i++) {
        mapped[i] = entries.codes[codes[i]];
      }
    }
    return new TextColumn(
        entries.type(),
        entries.bytes,
        entries.offsets,
        entries.entryCount,
        mapped,
        nulls(),
        size());
  }

  @Override
  public TextColumn gather(int[] rows, int count) {
    int[] out = new int[count];
    if (entryCount == 0) {
      return new TextColumn(
          type(), bytes, new int[] {0, 0}, 1, out, gatherNulls(rows, count), count);
    }
    if (codes == null) {
      for (int i = 0; i < count; i++) {
        out[i] = Math.max(rows[i], 0);
      }
    } else {
      for (int i = 0; i < count; i++) {
        int row = rows[i];
        out[i] = row < 0 ? 0 : codes[row];
      }
    }
    return new TextColumn(type(), bytes, offsets, entryCount, out, gatherNulls(rows, count), count);
  }

  @Override
  long neededBytes() {
    if (codes == null) {
      return size() == 0 ? 0 : offsets[size()] - offsets[0] + 4L * (size() + 1);
    }
    long sum = 0;
    for (int r = 0; r < size(); r++) {
      sum += offsets[codes[r] + 1] - offsets[codes[r]];
    }
    // A copy has an offset for each row, and these codes go with as many.
    return sum + 4L * size();
  }

  @Override
  public long sizeBytes() {
    return bytes.length
        + 4L * offsets.length
        + (codes == null ? 0 : 4L * codes.length)
        + nullBytes();
  }

  @Override
  public TextColumn as(Type type) {
    return type.equals(type())
        ? this
        : new TextColumn(type, bytes, offsets, entryCount, codes, nulls(), size());
  }

  /** A text; of BINARY values the hexadecimal digits, which order as the bytes do. */
  @Override
  public String value(int row) {
    if (isNull(row)) {
      return null;
    }
    int start = start(row);
    if (type().kind() == Type.Kind.BINARY) {
      return HexFormat.of().formatHex(bytes, start, end(row));
    }
    return new String(bytes, start, end(row) - start, StandardCharsets.UTF_8);
  }

  public boolean equalAt(int row, TextColumn other, int otherRow) {
    return Arrays.equals(
        bytes, start(row), end(row), other.bytes, other.start(otherRow), other.end(otherRow));
  }

  /** Compares by unsigned bytes, which for UTF-8 is by code point. */
  public int compareAt(int row, TextColumn other, int otherRow) {
    return Arrays.compareUnsigned(
        bytes, start(row), end(row), other.bytes, other.start(otherRow), other.end(otherRow));
  }
}

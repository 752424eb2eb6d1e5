package yardage.core.format.parquet;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.schema.PrimitiveType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import org.apache.parquet.schema.Type.Repetition;
import yardage.core.column.*;

/**
 * Encodes one column of a row group. Values go into a dictionary while that pays: it is given up
 * when it would hold more than 2^15 entries, or more than half of the first values are distinct.
 * One thread at a time; reusable.
 */
final class ChunkEncoder {
  /** Pages of all columns end at the same rows, so that a reader can take them side by side. */
  static final int PAGE_ROWS = 16_384;

  private static final int MAX_DICTIONARY_ENTRIES = 1 << 15;
  private static final int SAMPLE_ROWS = 4096;
  private static final int HASH_SLOTS = MAX_DICTIONARY_ENTRIES * 4;

  private final PageBuffer page = new PageBuffer();
  private final int[] slots = new int[HASH_SLOTS];
  private final int[] entryRows = new int[MAX_DICTIONARY_ENTRIES + 1];
  private int[] codes = new int[0];
  private int[] present = new int[PAGE_ROWS];

  /** Takes the rows of the dictionary's entries; -1 of them where there is no dictionary. */
  interface Entries {
    void are(int[] rows, int n);
  }

  EncodedChunk encode(Column column, PrimitiveType type, Entries found) {
    int rows = column.size();
    int entries = buildDictionary(column);
    found.are(entryRows, entries);
    Optional<DictionaryPage> dictionary = dictionary(column, type, entries);
    List<EncodedChunk.Page> pages = new ArrayList<>();
    for (int from = 0; from < rows; from += PAGE_ROWS) {
      pages.add(page(column, type, from, Math.min(rows, from + PAGE_ROWS), entries));
    }
    return new EncodedChunk(dictionary, pages);
  }

  private Optional<DictionaryPage> dictionary(Column column, PrimitiveType type, int entries) {
    if (entries < 0) {
      return Optional.empty();
    }
    page.clear();
    for (int e = 0; e < entries; e++) {
      present[0] = entryRows[e];
      putPlain(page, column, present, 1, type);
    }
    byte[] compressed = PageCodecs.compress(page.bytes, page.length);
    return Optional.of(
        new DictionaryPage(BytesInput.from(compressed), page.length, entries, Encoding.PLAIN));
  }

  /** Encodes one leaf of a nested column. */
  EncodedChunk encode(LeafLevels leaf, int rows) {
    int entries = buildDictionary(leaf.values);
    Optional<DictionaryPage> dictionary = dictionary(leaf.values, leaf.type, entries);
    List<EncodedChunk.Page> pages = new ArrayList<>();
    int from = 0;
    for (int row = 0; row < rows; row += PAGE_ROWS) {
      int pageRows = Math.min(PAGE_ROWS, rows - row);
      int to = from;
      // A page ends before the entry that starts the next row.
      for (int begun = 0; to < leaf.count; to++) {
        begun += leaf.repetitions[to] == 0 ? 1 : 0;
        if (begun > pageRows) {
          break;
        }
      }
      pages.add(page(leaf, from, to, pageRows, entries));
      from = to;
    }
    return new EncodedChunk(dictionary, pages);
  }

  private EncodedChunk.Page page(LeafLevels leaf, int from, int to, int rows, int entries) {
    page.clear();
    putLevels(leaf.repetitions, from, to, leaf.maxRepetition);
    putLevels(leaf.definitions, from, to, leaf.maxDefinition);
    if (present.length < to - from) {
      present = new int[to - from];
    }
    int values = 0;
    for (int i = from; i < to; i++) {
      if (leaf.places[i] >= 0) {
        present[values++] = leaf.places[i];
      }
    }
    putValues(leaf.values, leaf.type, values, entries);
    Statistics<?> statistics = statistics(leaf.values, leaf.type, values, to - from - values);
    byte[] compressed = PageCodecs.compress(page.bytes, page.length);
    return new EncodedChunk.Page(
        compressed, page.length, to - from, rows, statistics, encoding(entries));
  }

  private void putLevels(int[] levels, int from, int to, int max) {
    if (max == 0) {
      return;
    }
    int at = page.length;
    page.putInt(0);
    page.putPackedRun(levels, from, to - from, 32 - Integer.numberOfLeadingZeros(max));
    page.setInt(at, page.length - at - 4);
  }

  private EncodedChunk.Page page(Column column, PrimitiveType type, int from, int to, int entries) {
    page.clear();
    int values = 0;
    if (column.hasNulls()) {
      for (int r = from; r < to; r++) {
        present[values] = r;
        values += column.isNull(r) ? 0 : 1;
      }
    } else {
      for (int r = from; r < to; r++) {
        present[values++] = r;
      }
    }
    int nullCount = to - from - values;
    if (type.getRepetition() == Repetition.OPTIONAL) {
      putLevels(column, from, to, nullCount);
    } else if (nullCount > 0) {
      throw new IllegalArgumentException(
          "Column [%s] must not hold nulls".formatted(type.getName()));
    }
    putValues(column, type, values, entries);
    Statistics<?> statistics = statistics(column, type, values, nullCount);
    byte[] compressed = PageCodecs.compress(page.bytes, page.length);
    return new EncodedChunk.Page(
        compressed, page.length, to - from, to - from, statistics, encoding(entries));
  }

  private static Encoding encoding(int entries) {
    return entries >= 0 ? Encoding.RLE_DICTIONARY : Encoding.PLAIN;
  }

  /** The first {@code values} rows of {@link #present}, as codes where there is a dictionary. */
  private void putValues(Column column, PrimitiveType type, int values, int entries) {
    if (entries >= 0) {
      int[] packed = new int[values];
      for (int i = 0; i < values; i++) {
        packed[i] = codes[present[i]];
      }
      putCodes(page, packed, values, entries);
    } else {
      putPlain(page, column, present, values, type);
    }
  }

  /**
   * Codes as a page has them: their width, then runs.
   *
   * @param entries how many the dictionary has so far
   */
  static void putCodes(PageBuffer page, int[] codes, int count, int entries) {
    int bitWidth = entries <= 1 ? 0 : 32 - Integer.numberOfLeadingZeros(entries - 1);
    page.putByte(bitWidth);
    boolean constant = true;
    for (int i = 1; i < count && constant; i++) {
      constant = codes[i] == codes[0];
    }
    if (bitWidth == 0 || constant && count > 0) {
      page.putRepeatedRun(bitWidth == 0 ? 0 : codes[0], count, bitWidth);
    } else {
      page.putPackedRun(codes, 0, count, bitWidth);
    }
  }

  private void putLevels(Column column, int from, int to, int nullCount) {
    int at = page.length;
    page.putInt(0);
    if (nullCount == 0 || nullCount == to - from) {
      page.putRepeatedRun(nullCount == 0 ? 1 : 0, to - from, 1);
    } else {
      int[] levels = new int[to - from];
      for (int r = from; r < to; r++) {
        levels[r - from] = column.isNull(r) ? 0 : 1;
      }
      page.putPackedRun(levels, 0, levels.length, 1);
    }
    page.setInt(at, page.length - at - 4);
  }

  /**
   * Numbers the distinct values into {@link #codes}; returns how many there are, or -1 where a
   * dictionary does not pay.
   */
  private int buildDictionary(Column column) {
    if (column instanceof BooleanColumn) {
      return -1;
    }
    int rows = column.size();
    if (codes.length < rows) {
      codes = new int[rows];
    }
    if (column instanceof TextColumn text
        && text.isDictionary()
        && text.entryCount() <= MAX_DICTIONARY_ENTRIES) {
      return fromCodes(text);
    }
    Arrays.fill(slots, 0);
    if (column instanceof LongColumn longs && !column.hasNulls()) {
      return dictionaryOf(longs.values(), rows);
    }
    int entries = 0;
    for (int r = 0; r < rows; r++) {
      if (column.isNull(r)) {
        continue;
      }
      int at = hash(column, r) & (HASH_SLOTS - 1);
      while (slots[at] != 0 && !same(column, entryRows[slots[at] - 1], r)) {
        at = (at + 1) & (HASH_SLOTS - 1);
      }
      if (slots[at] == 0) {
        if (entries == MAX_DICTIONARY_ENTRIES) {
          return -1;
        }
        entryRows[entries++] = r;
        slots[at] = entries;
      }
      codes[r] = slots[at] - 1;
      if (r == SAMPLE_ROWS && entries > SAMPLE_ROWS / 2) {
        return -1;
      }
    }
    return entries > rows / 2 && rows > 64 ? -1 : entries;
  }

  /** As {@link #buildDictionary} over an array, without asking each value what it is. */
  private int dictionaryOf(long[] values, int rows) {
    int entries = 0;
    for (int r = 0; r < rows; r++) {
      long v = values[r];
      int at = hash(v) & (HASH_SLOTS - 1);
      while (slots[at] != 0 && values[entryRows[slots[at] - 1]] != v) {
        at = (at + 1) & (HASH_SLOTS - 1);
      }
      if (slots[at] == 0) {
        if (entries == MAX_DICTIONARY_ENTRIES) {
          return -1;
        }
        entryRows[entries++] = r;
        slots[at] = entries;
      }
      codes[r] = slots[at] - 1;
      if (r == SAMPLE_ROWS && entries > SAMPLE_ROWS / 2) {
        return -1;
      }
    }
    return entries > rows / 2 && rows > 64 ? -1 : entries;
  }

  private static int hash(long v) {
    return (int) ((v * 0x9E3779B97F4A7C15L) >>> 40);
  }

  /**
   * Codes that the column has already, renumbered without the entries that no row uses or that are
   * there twice.
   */
  private int fromCodes(TextColumn text) {
    int[] codeOf = new int[text.entryCount()];
    Arrays.fill(codeOf, -1);
    Arrays.fill(slots, 0);
    int entries = 0;
    for (int r = 0; r < text.size(); r++) {
      if (text.isNull(r)) {
        continue;
      }
      int entry = text.entry(r);
      if (codeOf[entry] < 0) {
        int at = hash(text, r) & (HASH_SLOTS - 1);
        while (slots[at] != 0 && !same(text, entryRows[slots[at] - 1], r)) {
          at = (at + 1) & (HASH_SLOTS - 1);
        }
        if (slots[at] == 0) {
          entryRows[entries++] = r;
          slots[at] = entries;
        }
        codeOf[entry] = slots[at] - 1;
      }
      codes[r] = codeOf[entry];
    }
    return entries;
  }

  private static int hash(Column column, int row) {
    long v;
    if (column instanceof IntColumn c) {
      v = c.values()[row];
    } else if (column instanceof LongColumn c) {
      v = c.values()[row];
    } else if (column instanceof WideColumn c) {
      v = c.low()[row] ^ c.high()[row] * 31;
    } else if (column instanceof DoubleColumn c) {
      v = Double.doubleToRawLongBits(c.values()[row]);
    } else {
      TextColumn t = (TextColumn) column;
      byte[] b = t.bytes();
      v = 0;
      int i = t.start(row);
      int end = t.end(row);
      for (; i + 8 <= end; i += 8) {
        v = (v ^ PageBuffer.getLong(b, i)) * 0xC2B2AE3D27D4EB4FL;
        v ^= v >>> 29;
      }
      for (; i < end; i++) {
        v = v * 31 + b[i];
      }
    }
    return hash(v);
  }

  private static boolean same(Column column, int a, int b) {
    if (column instanceof IntColumn c) {
      return c.values()[a] == c.values()[b];
    } else if (column instanceof LongColumn c) {
      return c.values()[a] == c.values()[b];
    } else if (column instanceof WideColumn c) {
      return c.low()[a] == c.low()[b] && c.high()[a] == c.high()[b];
    } else if (column instanceof DoubleColumn c) {
      return Double.doubleToRawLongBits(c.values()[a]) == Double.doubleToRawLongBits(c.values()[b]);
    }
    TextColumn t = (TextColumn) column;
    return t.equalAt(a, t, b);
  }

  /** The plain encoding of the first {@code values} of some rows. */
  static void putPlain(PageBuffer page, Column column, int[] rows, int values, PrimitiveType type) {
    if (column instanceof BooleanColumn c) {
      for (int i = 0; i < values; i += 8) {
        int bits = 0;
        for (int k = i; k < Math.min(values, i + 8); k++) {
          bits |= c.values()[rows[k]] << k - i;
        }
        page.putByte(bits);
      }
      return;
    }
    page.ensure(values * 8);
    if (column instanceof IntColumn c) {
      int[] v = c.values();
      for (int i = 0; i < values; i++) {
        page.putInt(v[rows[i]]);
      }
    } else if (column instanceof LongColumn c) {
      long[] v = c.values();
      if (type.getPrimitiveTypeName() == PrimitiveTypeName.INT32) {
        for (int i = 0; i < values; i++) {
          page.putInt((int) v[rows[i]]);
        }
      } else {
        for (int i = 0; i < values; i++) {
          page.putLong(v[rows[i]]);
        }
      }
    } else if (column instanceof WideColumn c) {
      page.ensure(values * type.getTypeLength());
      long turn = WideColumn.turn(c.type());
      for (int i = 0; i < values; i++) {
        page.putWide(c.high()[rows[i]] ^ turn, c.low()[rows[i]], type.getTypeLength());
      }
    } else if (column instanceof DoubleColumn c) {
      double[] v = c.values();
      boolean isFloat = c.type().kind() == Type.Kind.FLOAT;
      for (int i = 0; i < values; i++) {
        if (isFloat) {
          page.putInt(Float.floatToRawIntBits((float) v[rows[i]]));
        } else {
          page.putLong(Double.doubleToRawLongBits(v[rows[i]]));
        }
      }
    } else {
      TextColumn t = (TextColumn) column;
      byte[] b = t.bytes();
      for (int i = 0; i < values; i++) {
        int start = t.start(rows[i]);
        int length = t.end(rows[i]) - start;
        page.putInt(length);
        page.putBytes(b, start, length);
      }
    }
  }

  private Statistics<?> statistics(Column column, PrimitiveType type, int values, int nullCount) {
    Statistics<?> statistics = Statistics.createStats(type);
    statistics.incrementNumNulls(nullCount);
    if (values == 0) {
      return statistics;
    }
    if (column instanceof IntColumn c) {
      int min = Integer.MAX_VALUE;
      int max = Integer.MIN_VALUE;
      for (int i = 0; i < values; i++) {
        int v = c.values()[present[i]];
        min = Math.min(min, v);
        max = Math.max(max, v);
      }
      statistics.updateStats(min);
      statistics.updateStats(max);
    } else if (column instanceof LongColumn c) {
      long min = Long.MAX_VALUE;
      long max = Long.MIN_VALUE;
      for (int i = 0; i < values; i++) {
        long v = c.values()[present[i]];
        min = Math.min(min, v);
        max = Math.max(max, v);
      }
      if (type.getPrimitiveTypeName() == PrimitiveTypeName.INT32) {
        statistics.updateStats((int) min);
        statistics.updateStats((int) max);
      } else {
        statistics.updateStats(min);
        statistics.updateStats(max);
      }
    } else if (column instanceof WideColumn c) {
      int min = present[0];
      int max = present[0];
      for (int i = 1; i < values; i++) {
        int r = present[i];
        min = Values.compare(c, r, c, min) < 0 ? r : min;
        max = Values.compare(c, r, c, max) > 0 ? r : max;
      }
      statistics.updateStats(binary(c, min, type.getTypeLength()));
      statistics.updateStats(binary(c, max, type.getTypeLength()));
    } else if (column instanceof DoubleColumn c) {
      boolean isFloat = c.type().kind() == Type.Kind.FLOAT;
      for (int i = 0; i < values; i++) {
        double v = c.values()[present[i]];
        if (isFloat) {
          statistics.updateStats((float) v);
        } else {
          statistics.updateStats(v);
        }
      }
    } else if (column instanceof BooleanColumn c) {
      for (int i = 0; i < values; i++) {
        statistics.updateStats(c.values()[present[i]] != 0);
      }
    } else {
      TextColumn t = (TextColumn) column;
      int min = present[0];
      int max = present[0];
      long minStart = beginning(t, min);
      long maxStart = minStart;
      for (int i = 1; i < values; i++) {
        int r = present[i];
        long start = beginning(t, r);
        // Most values lie between the two by their first bytes alone.
        if (start <= minStart && (start < minStart || t.compareAt(r, t, min) < 0)) {
          min = r;
          minStart = start;
        } else if (start >= maxStart && (start > maxStart || t.compareAt(r, t, max) > 0)) {
          max = r;
          maxStart = start;
        }
      }
      statistics.updateStats(binary(t, min));
      statistics.updateStats(binary(t, max));
    }
    return statistics;
  }

  /** The first eight bytes, filled up with zeros, such that they order as texts do. */
  private static long beginning(TextColumn t, int row) {
    byte[] b = t.bytes();
    int from = t.start(row);
    int length = t.end(row) - from;
    long v = 0;
    if (length >= 8) {
      v = Long.reverseBytes(PageBuffer.getLong(b, from));
    } else {
      for (int i = 0; i < length; i++) {
        v |= (b[from + i] & 0xFFL) << 56 - 8 * i;
      }
    }
    return v ^ Long.MIN_VALUE;
  }

  private static Binary binary(WideColumn c, int row, int length) {
    byte[] bytes = new byte[length];
    PageBuffer.setWide(c.high()[row] ^ WideColumn.turn(c.type()), c.low()[row], bytes, 0, length);
    return Binary.fromConstantByteArray(bytes);
  }

  private static Binary binary(TextColumn t, int row) {
    return Binary.fromConstantByteArray(Arrays.copyOfRange(t.bytes(), t.start(row), t.end(row)));
  }
}

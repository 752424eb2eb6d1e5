package yardage.core.format.parquet;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.schema.PrimitiveType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import org.apache.parquet.schema.Type.Repetition;
import yardage.core.column.*;

/**
 * Encodes one column of a row group. Values go into a dictionary while that pays. One thread at a
 * time; reusable.
 */
final class ChunkEncoder {
  /** Pages of all columns end at the same rows, so that a reader can take them side by side. */
  static final int PAGE_ROWS = 16_384;

  private final PageBuffer page = new PageBuffer();
  private final ChunkDictionary numbers = new ChunkDictionary();
  private int[] present = new int[PAGE_ROWS];

  /** Takes the rows of the dictionary's entries; -1 of them where there is no dictionary. */
  interface Entries {
    void are(int[] rows, int n);
  }

  EncodedChunk encode(Column column, PrimitiveType type, Entries found) {
    int rows = column.size();
    int entries = numbers.build(column);
    found.are(numbers.rows(), entries);
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
    putPlain(page, column, numbers.rows(), entries, type);
    byte[] compressed = PageCodecs.compress(page.bytes, page.length);
    return Optional.of(
        new DictionaryPage(BytesInput.from(compressed), page.length, entries, Encoding.PLAIN));
  }

  /** Encodes one leaf of a nested column. */
  EncodedChunk encode(LeafLevels leaf, int rows) {
    int entries = numbers.build(leaf.values);
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
    Statistics<?> statistics =
        ChunkStatistics.of(leaf.values, leaf.type, present, values, to - from - values);
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
    Statistics<?> statistics = ChunkStatistics.of(column, type, present, values, nullCount);
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
      int[] codes = numbers.codes();
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
    if (column instanceof IntColumn c) {
      page.putInts(c.values(), rows, values);
    } else if (column instanceof LongColumn c) {
      if (type.getPrimitiveTypeName() == PrimitiveTypeName.INT32) {
        page.putLowInts(c.values(), rows, values);
      } else {
        page.putLongs(c.values(), rows, values);
      }
    } else if (column instanceof WideColumn c) {
      page.ensure(values * type.getTypeLength());
      long turn = WideColumn.turn(c.type());
      for (int i = 0; i < values; i++) {
        page.putWide(c.high()[rows[i]] ^ turn, c.low()[rows[i]], type.getTypeLength());
      }
    } else if (column instanceof DoubleColumn c) {
      double[] v = c.values();
      page.ensure(values * Long.BYTES);
      boolean isFloat = c.type().kind() == Type.Kind.FLOAT;
      for (int i = 0; i < values; i++) {
        if (isFloat) {
          page.putInt(Float.floatToRawIntBits((float) v[rows[i]]));
        } else {
          page.putLong(Double.doubleToRawLongBits(v[rows[i]]));
        }
      }
    } else {
      page.putTexts((TextColumn) column, rows, values);
    }
  }
}

package yardage.core.format.parquet;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.LongBuffer;
import java.util.Optional;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DataPage;
import org.apache.parquet.column.page.DataPageV1;
import org.apache.parquet.schema.PrimitiveType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import yardage.core.column.*;
import yardage.core.format.FileFormatException;
import yardage.core.plan.KeyBits;

/** Decodes one leaf of a row group, page by page. One thread at a time. */
final class ChunkDecoder extends PagedColumn {
  private static final boolean[] NOT_TOLD = {};

  /** Of so many rows one is read by itself; of fewer all are, which are eight at a time. */
  private static final int FEW_OF = 8;

  private static final int STRIP = 1_024;

  private final ChunkPages pages;
  private final ColumnDescriptor descriptor;
  private final Type type;
  private final Column dictionary;
  private long[] longs = {};
  private int[] codes = new int[0];

  ChunkDecoder(ChunkPages pages, ColumnDescriptor descriptor, Type type) throws IOException {
    super(type, descriptor.getPath()[0]);
    this.pages = pages;
    this.descriptor = descriptor;
    this.type = type;
    this.dictionary = pages.dictionary(descriptor, type).orElse(null);
  }

  /** The values of a dictionary, from its bytes as they are when inflated. */
  static Column dictionary(byte[] bytes, int size, ColumnDescriptor descriptor, Type type) {
    return plain(bytes, 0, size, null, size, descriptor, type);
  }

  /** A page of a leaf that may repeat: its levels, and its values without the places of nulls. */
  record LeafPage(int count, int[] definitions, int[] repetitions, Column values) {}

  /** The next page with its levels; empty at the end of the chunk. */
  Optional<LeafPage> nextLeafPage() throws IOException {
    DataPageV1 page = page();
    if (page == null) {
      return Optional.empty();
    }
    byte[] b = PageCodecs.bytes(page.getBytes());
    int count = page.getValueCount();
    int[] repetitions = new int[count];
    int[] definitions = new int[count];
    int at = levels(b, 0, descriptor.getMaxRepetitionLevel(), repetitions);
    at = levels(b, at, descriptor.getMaxDefinitionLevel(), definitions);
    int values = 0;
    for (int d : definitions) {
      values += d == descriptor.getMaxDefinitionLevel() ? 1 : 0;
    }
    return Optional.of(
        new LeafPage(
            count, definitions, repetitions, encoded(page, b, at, values, null, values).all()));
  }

  private static int levels(byte[] b, int at, int max, int[] out) {
    if (max == 0) {
      return at;
    }
    int end = at + 4 + PageBuffer.getInt(b, at);
    RunDecoder.decode(b, at + 4, end, 32 - Integer.numberOfLeadingZeros(max), out.length, out);
    return end;
  }

  private DataPageV1 page() {
    DataPage page = pages.next().orElse(null);
    if (page != null && !(page instanceof DataPageV1)) {
      throw new FileFormatException(
          "Column [%s] has data pages of version 2, which are not read yet"
              .formatted(descriptor.getPath()[0]));
    }
    return (DataPageV1) page;
  }

  @Override
  Optional<Page> readPage() throws IOException {
    DataPageV1 page = page();
    if (page == null) {
      return Optional.empty();
    }
    byte[] b = PageCodecs.bytes(page.getBytes());
    int rows = page.getValueCount();
    int at = 0;
    long[] nulls = null;
    int values = rows;
    if (descriptor.getMaxDefinitionLevel() > 0) {
      int length = PageBuffer.getInt(b, 0);
      at = 4 + length;
      if (!RunDecoder.areOnes(b, 4, at, rows)) {
        ensureCodes(rows);
        RunDecoder.decode(b, 4, at, 1, rows, codes);
        for (int r = 0; r < rows; r++) {
          if (codes[r] == 0) {
            nulls = nulls == null ? Bits.allocate(rows) : nulls;
            Bits.set(nulls, r);
            values--;
          }
        }
      }
    }
    return Optional.of(encoded(page, b, at, values, nulls, rows));
  }

  /**
   * @param at where the values begin in {@code b}
   * @param values how many there are, without nulls
   */
  private Page encoded(DataPageV1 page, byte[] b, int at, int values, long[] nulls, int rows) {
    Encoding encoding = page.getValueEncoding();
    if (encoding == Encoding.PLAIN) {
      return new PlainPage(b, at, values, nulls, rows);
    }
    if (encoding == Encoding.RLE_DICTIONARY || encoding == Encoding.PLAIN_DICTIONARY) {
      return new CodedPage(b, at, values, nulls, rows);
    }
    throw new FileFormatException(
        "Column [%s] is encoded as %s, which is not read yet"
            .formatted(descriptor.getPath()[0], encoding));
  }

  /** Values of a page that are not read yet. */
  private abstract static class EncodedPage implements Page {
    final byte[] b;
    final int at;
    final int values;
    final long[] nulls;
    final int rows;

    EncodedPage(byte[] b, int at, int values, long[] nulls, int rows) {
      this.b = b;
      this.at = at;
      this.values = values;
      this.nulls = nulls;
      this.rows = rows;
    }

    @Override
    public int rows() {
      return rows;
    }
  }

  /** Values as they are. */
  private final class PlainPage extends EncodedPage {
    PlainPage(byte[] b, int at, int values, long[] nulls, int rows) {
      super(b, at, values, nulls, rows);
    }

    @Override
    public Column all() {
      return plain(b, at, values, nulls, rows, descriptor, type);
    }

    @Override
    public Column some(int[] places, int n) {
      if (nulls != null) {
        return all().gather(places, n);
      }
      return switch (type.held()) {
        case INTS -> {
          int[] out = new int[n];
          for (int i = 0; i < n; i++) {
            out[i] = PageBuffer.getInt(b, at + 4 * places[i]);
          }
          yield new IntColumn(type, out, null, n);
        }
        case LONGS -> {
          long[] out = new long[n];
          boolean narrow = isNarrow(descriptor);
          for (int i = 0; i < n; i++) {
            out[i] =
                narrow
                    ? PageBuffer.getInt(b, at + 4 * places[i])
                    : PageBuffer.getLong(b, at + 8 * places[i]);
          }
          yield new LongColumn(type, out, null, n);
        }
        default -> all().gather(places, n);
      };
    }

    @Override
    public int meeting(ValueTest test, int[] places, int n, int[] out) {
      boolean isInt = type.held() == Type.Held.INTS || isNarrow(descriptor);
      if (nulls != null
          || !isInt && type.held() != Type.Held.LONGS
          || !(test instanceof ValueTest.Key key)) {
        return super.meeting(test, places, n, out);
      }
      KeyBits keys = key.keys();
      int found = 0;
      if (n == rows && !isInt) {
        // Copied in strips that stay in the first cache: a loop over longs is twice as fast.
        LongBuffer all =
            ByteBuffer.wrap(b).order(ByteOrder.LITTLE_ENDIAN).position(at).asLongBuffer();
        longs = longs.length == 0 ? new long[STRIP] : longs;
        boolean few = true;
        for (int from = 0; from < n; from += STRIP) {
          int strip = Math.min(STRIP, n - from);
          all.get(from, longs, 0, strip);
          int before = found;
          found = keys.places(longs, strip, from, out, found, few);
          few = found - before < strip / 16;
        }
        return found;
      }
      for (int i = 0; i < n; i++) {
        int r = places[i];
        long v = isInt ? PageBuffer.getInt(b, at + 4 * r) : PageBuffer.getLong(b, at + 8 * r);
        out[found] = r;
        found += keys.has(v) ? 1 : 0;
      }
      return found;
    }
  }

  /** Values as numbers of entries of the dictionary. */
  private final class CodedPage extends EncodedPage {
    private int[] byRow;

    CodedPage(byte[] b, int at, int values, long[] nulls, int rows) {
      super(b, at, values, nulls, rows);
    }

    /** The entry of each row; -1 for null. */
    private int[] byRow() {
      if (byRow == null) {
        byRow = codes(b, at, values, nulls, rows);
      }
      return byRow;
    }

    @Override
    public Column all() {
      return dictionary.gather(byRow(), rows);
    }

    @Override
    public Column some(int[] places, int n) {
      return dictionary.gather(byPlace(places, n), n);
    }

    /** The entries of some rows. */
    private int[] byPlace(int[] places, int n) {
      int[] some = new int[n];
      if (byRow == null && nulls == null) {
        RunDecoder.decode(b, at + 1, b.length, b[at], places, n, some);
        return some;
      }
      int[] all = byRow();
      for (int i = 0; i < n; i++) {
        some[i] = all[places[i]];
      }
      return some;
    }

    @Override
    public int meeting(ValueTest test, int[] places, int n, int[] out) {
      boolean[] met = test.met(dictionary, pages.valueCount()).orElse(NOT_TOLD);
      if (met.length == 0) {
        return super.meeting(test, places, n, out);
      }
      int found = 0;
      if (n <= rows / FEW_OF) {
        int[] some = byPlace(places, n);
        for (int i = 0; i < n; i++) {
          out[found] = places[i];
          found += meets(met, some[i]) ? 1 : 0;
        }
        return found;
      }
      int[] all = byRow();
      for (int i = 0; i < n; i++) {
        int r = places[i];
        out[found] = r;
        found += meets(met, all[r]) ? 1 : 0;
      }
      return found;
    }

    /** Null has the last place. */
    private static boolean meets(boolean[] met, int code) {
      return met[code < 0 ? met.length - 1 : code];
    }
  }

  private void ensureCodes(int rows) {
    if (codes.length < rows) {
      codes = new int[rows];
    }
  }

  /** The dictionary's entry of each row, -1 for null; good until the next page. */
  private int[] codes(byte[] b, int at, int values, long[] nulls, int rows) {
    ensureCodes(rows);
    if (values > 0) {
      RunDecoder.decode(b, at + 1, b.length, b[at], values, codes);
    }
    if (nulls == null) {
      return codes;
    }
    int[] byRow = new int[rows];
    for (int r = 0, v = 0; r < rows; r++) {
      byRow[r] = Bits.get(nulls, r) ? -1 : codes[v++];
    }
    return byRow;
  }

  private static boolean isNarrow(ColumnDescriptor descriptor) {
    return descriptor.getPrimitiveType().getPrimitiveTypeName() == PrimitiveTypeName.INT32;
  }

  private static Column plain(
      byte[] b,
      int at,
      int values,
      long[] nulls,
      int rows,
      ColumnDescriptor descriptor,
      Type type) {
    boolean dense = nulls == null;
    return switch (type.held()) {
      case INTS -> {
        int[] out = new int[rows];
        for (int r = 0; r < rows; r++) {
          if (dense || !Bits.get(nulls, r)) {
            out[r] = PageBuffer.getInt(b, at);
            at += 4;
          }
        }
        yield new IntColumn(type, out, nulls, rows);
      }
      case WIDES -> wide(b, at, nulls, rows, descriptor.getPrimitiveType(), type);
      case LONGS -> {
        long[] out = new long[rows];
        boolean narrow = isNarrow(descriptor);
        if (dense && narrow) {
          for (int r = 0; r < rows; r++) {
            out[r] = PageBuffer.getInt(b, at + 4 * r);
          }
          yield new LongColumn(type, out, nulls, rows);
        }
        for (int r = 0; r < rows; r++) {
          if (dense || !Bits.get(nulls, r)) {
            out[r] = narrow ? PageBuffer.getInt(b, at) : PageBuffer.getLong(b, at);
            at += narrow ? 4 : 8;
          }
        }
        yield new LongColumn(type, out, nulls, rows);
      }
      case DOUBLES -> {
        double[] out = new double[rows];
        boolean isFloat =
            descriptor.getPrimitiveType().getPrimitiveTypeName() == PrimitiveTypeName.FLOAT;
        for (int r = 0; r < rows; r++) {
          if (dense || !Bits.get(nulls, r)) {
            out[r] =
                isFloat
                    ? Float.intBitsToFloat(PageBuffer.getInt(b, at))
                    : Double.longBitsToDouble(PageBuffer.getLong(b, at));
            at += isFloat ? 4 : 8;
          }
        }
        yield new DoubleColumn(type, out, nulls, rows);
      }
      case TRUTHS -> {
        byte[] out = new byte[rows];
        for (int r = 0, v = 0; r < rows; r++) {
          if (dense || !Bits.get(nulls, r)) {
            out[r] = (byte) (b[at + (v >> 3)] >> (v & 7) & 1);
            v++;
          }
        }
        yield new BooleanColumn(out, nulls, rows);
      }
      case BYTES -> {
        byte[] text = new byte[Math.max(0, b.length - at - 4 * values)];
        int[] offsets = new int[rows + 1];
        int end = 0;
        for (int r = 0; r < rows; r++) {
          if (dense || !Bits.get(nulls, r)) {
            int length = PageBuffer.getInt(b, at);
            System.arraycopy(b, at + 4, text, end, length);
            at += 4 + length;
            end += length;
          }
          offsets[r + 1] = end;
        }
        yield TextColumn.plain(text, offsets, nulls, rows).as(type);
      }
      case STRUCTS, LISTS -> throw new IllegalStateException("A leaf has no parts: " + type);
    };
  }

  /**
   * UUIDs, or decimals of many digits; files of before the column had so many hold them in fewer
   * bytes.
   */
  private static WideColumn wide(
      byte[] b, int at, long[] nulls, int rows, PrimitiveType physical, Type type) {
    int length =
        switch (physical.getPrimitiveTypeName()) {
          case INT32 -> 4;
          case INT64 -> 8;
          default -> physical.getTypeLength();
        };
    long[] high = new long[rows];
    long[] low = new long[rows];
    long turn = WideColumn.turn(type);
    for (int r = 0; r < rows; r++) {
      if (nulls != null && Bits.get(nulls, r)) {
        continue;
      }
      if (physical.getPrimitiveTypeName() == PrimitiveTypeName.FIXED_LEN_BYTE_ARRAY) {
        // Most significant byte first, in two's complement.
        long h = b[at] < 0 ? -1 : 0;
        long l = h;
        for (int i = 0; i < length; i++) {
          h = h << 8 | l >>> 56;
          l = l << 8 | b[at + i] & 0xFF;
        }
        high[r] = h ^ turn;
        low[r] = l;
      } else {
        low[r] = length == 4 ? PageBuffer.getInt(b, at) : PageBuffer.getLong(b, at);
        high[r] = low[r] >> 63;
      }
      at += length;
    }
    return new WideColumn(type, high, low, nulls, rows);
  }

  /**
   * Whether a Parquet column holds what {@code type} is; empty when it does, otherwise what it
   * holds.
   */
  static Optional<String> mismatch(ColumnDescriptor descriptor, Type type) {
    PrimitiveTypeName physical = descriptor.getPrimitiveType().getPrimitiveTypeName();
    boolean fits =
        switch (type.kind()) {
          case INT, DATE -> physical == PrimitiveTypeName.INT32;
          case BIGINT, TIME, TIMESTAMP, TIMESTAMP_TZ ->
              physical == PrimitiveTypeName.INT64 || physical == PrimitiveTypeName.INT32;
          case DECIMAL ->
              physical == PrimitiveTypeName.INT64
                  || physical == PrimitiveTypeName.INT32
                  || type.isWide() && physical == PrimitiveTypeName.FIXED_LEN_BYTE_ARRAY;
          case FLOAT -> physical == PrimitiveTypeName.FLOAT;
          case DOUBLE ->
              physical == PrimitiveTypeName.DOUBLE || physical == PrimitiveTypeName.FLOAT;
          case BOOLEAN -> physical == PrimitiveTypeName.BOOLEAN;
          case VARCHAR, BINARY -> physical == PrimitiveTypeName.BINARY;
          case UUID -> physical == PrimitiveTypeName.FIXED_LEN_BYTE_ARRAY;
          case STRUCT, LIST, MAP -> false;
        };
    return fits ? Optional.empty() : Optional.of(descriptor.getPrimitiveType().toString());
  }
}

package yardage.core.format.parquet;

import java.nio.ByteBuffer;
import java.util.Collections;
import java.util.List;
import java.util.stream.DoubleStream;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.hadoop.metadata.ColumnChunkMetaData;
import org.apache.parquet.internal.column.columnindex.ColumnIndex;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import yardage.core.column.Column;
import yardage.core.column.DoubleColumn;
import yardage.core.column.Type;

/**
 * The bounds of a column's values in some parts of a file: in its pages, or in a row group. Texts
 * may be cut: the smallest is none larger, the largest none smaller than any value (Apache Parquet
 * format, page index). Immutable.
 *
 * @param smallest anything where a part has no values, or none are told
 * @param values what each part has
 */
record PageBounds(Column smallest, Column largest, List<PageBounds.Part> values) {
  /** Most bounds are numbers, of some pages. */
  private static final int FEW_BYTES = 1 << 10;

  /** What is known of a part's values. */
  enum Part {
    UNKNOWN,
    ONLY_NULLS,
    NO_NULLS,
    SOME_NULLS
  }

  PageBounds {
    values = List.copyOf(values);
  }

  /** About what it takes. */
  long sizeBytes() {
    return smallest.sizeBytes() + largest.sizeBytes() + 8L * values.size();
  }

  /** Whether rows of a part may meet a condition. */
  boolean mayMeet(int part, PageTest test) {
    return switch (values.get(part)) {
      case UNKNOWN -> true;
      case ONLY_NULLS -> test.takesNulls();
      case NO_NULLS -> test.mayMeet(this, part);
      case SOME_NULLS -> test.takesNulls() || test.mayMeet(this, part);
    };
  }

  static PageBounds ofPages(ColumnIndex index, ColumnDescriptor leaf, Type type) {
    int pages = index.getNullPages().size();
    PageBuffer smallest = new PageBuffer(FEW_BYTES);
    PageBuffer largest = new PageBuffer(FEW_BYTES);
    Part[] parts = new Part[pages];
    for (int p = 0; p < pages; p++) {
      boolean onlyNulls = index.getNullPages().get(p);
      // Counts of nulls may be left out: then there may be some.
      boolean noNulls = index.getNullCounts() != null && index.getNullCounts().get(p) == 0;
      parts[p] = onlyNulls ? Part.ONLY_NULLS : noNulls ? Part.NO_NULLS : Part.SOME_NULLS;
      put(onlyNulls ? null : index.getMinValues().get(p), leaf, smallest);
      put(onlyNulls ? null : index.getMaxValues().get(p), leaf, largest);
    }
    return of(smallest, largest, List.of(parts), leaf, type);
  }

  /** Those of a row group. */
  static PageBounds ofAll(ColumnChunkMetaData chunk, ColumnDescriptor leaf, Type type) {
    Statistics<?> statistics = chunk.getStatistics();
    boolean told = statistics != null && !statistics.isEmpty();
    boolean bounded = told && statistics.hasNonNullValue();
    long nulls = told && statistics.isNumNullsSet() ? statistics.getNumNulls() : -1;
    Part part =
        bounded
            ? nulls == 0 ? Part.NO_NULLS : Part.SOME_NULLS
            : nulls == chunk.getValueCount() ? Part.ONLY_NULLS : Part.UNKNOWN;
    PageBuffer smallest = new PageBuffer(FEW_BYTES);
    PageBuffer largest = new PageBuffer(FEW_BYTES);
    put(bounded ? ByteBuffer.wrap(statistics.getMinBytes()) : null, leaf, smallest);
    put(bounded ? ByteBuffer.wrap(statistics.getMaxBytes()) : null, leaf, largest);
    return of(smallest, largest, List.of(part), leaf, type);
  }

  private static PageBounds of(
      PageBuffer smallest, PageBuffer largest, List<Part> parts, ColumnDescriptor leaf, Type type) {
    Column small = column(smallest, parts.size(), leaf, type);
    Column large = column(largest, parts.size(), leaf, type);
    boolean bounded = !hasNotANumber(small) && !hasNotANumber(large);
    return new PageBounds(
        small, large, bounded ? parts : Collections.nCopies(parts.size(), Part.UNKNOWN));
  }

  /** Which some writers take for a bound, though it bounds nothing. */
  private static boolean hasNotANumber(Column values) {
    return values instanceof DoubleColumn c && DoubleStream.of(c.values()).anyMatch(Double::isNaN);
  }

  private static Column column(PageBuffer plain, int count, ColumnDescriptor leaf, Type type) {
    return ChunkDecoder.dictionary(plain.written(), count, leaf, type);
  }

  /** Writes a value as a page has it; something of its width where there is none. */
  private static void put(ByteBuffer value, ColumnDescriptor leaf, PageBuffer to) {
    PrimitiveTypeName physical = leaf.getPrimitiveType().getPrimitiveTypeName();
    byte[] bytes =
        switch (physical) {
          case INT32, FLOAT -> new byte[Integer.BYTES];
          case INT64, DOUBLE -> new byte[Long.BYTES];
          case FIXED_LEN_BYTE_ARRAY -> new byte[leaf.getPrimitiveType().getTypeLength()];
          case BINARY -> new byte[value == null ? 0 : value.remaining()];
          case BOOLEAN, INT96 ->
              throw new IllegalArgumentException("Bounds of %s are not read".formatted(physical));
        };
    if (value != null) {
      if (value.remaining() != bytes.length) {
        throw new IllegalArgumentException(
            "A bound of %d bytes in place of %d".formatted(value.remaining(), bytes.length));
      }
      value.duplicate().get(bytes);
    }
    if (physical == PrimitiveTypeName.BINARY) {
      to.putInt(bytes.length);
    }
    to.putBytes(bytes, 0, bytes.length);
  }
}

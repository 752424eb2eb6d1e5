package yardage.core.format.parquet;

import java.util.Arrays;
import java.util.Optional;
import java.util.stream.IntStream;
import org.apache.parquet.column.values.bloomfilter.BlockSplitBloomFilter;
import org.apache.parquet.column.values.bloomfilter.BloomFilter;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.schema.PrimitiveType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import yardage.core.column.Column;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.column.WideColumn;

/**
 * Bloom filters of the values of a column in a row group (Apache Parquet format, split block Bloom
 * filter): they tell that a value is not there, or that it may be.
 */
public final class BloomFilters {
  /** Of a hundred values that are not there, one is found by mistake. */
  private static final double FOUND_BY_MISTAKE = 0.01;

  private static final int MOST_BYTES = 1 << 21;

  private BloomFilters() {}

  /** Whether values of a type are looked for in this way: equal ones must have equal bytes. */
  public static boolean take(Type type) {
    return switch (type.kind()) {
      case INT, BIGINT, DATE, TIME, TIMESTAMP, TIMESTAMP_TZ, DECIMAL, VARCHAR, UUID -> true;
      case BOOLEAN, FLOAT, DOUBLE, BINARY, STRUCT, LIST, MAP -> false;
    };
  }

  /** Of all rows, hardly any of which are alike. */
  static BloomFilter of(Column column, PrimitiveType type) {
    return of(column, IntStream.range(0, column.size()).toArray(), column.size(), type);
  }

  /**
   * @param rows the first row of each value
   */
  static BloomFilter of(Column column, int[] rows, int count, PrimitiveType type) {
    int bits = BlockSplitBloomFilter.optimalNumOfBits(Math.max(1, count), FOUND_BY_MISTAKE);
    BloomFilter out = new BlockSplitBloomFilter(bits / Byte.SIZE, MOST_BYTES);
    Hashes hashes = new Hashes(out, type);
    for (int i = 0; i < count; i++) {
      if (!column.isNull(rows[i])) {
        out.insertHash(hashes.of(column, rows[i]));
      }
    }
    return out;
  }

  /** One that was read. Thread-safe. */
  record Kept(Optional<BloomFilter> filter) {
    Kept(BloomFilter read) {
      this(Optional.ofNullable(read));
    }

    long sizeBytes() {
      return filter.map(BloomFilter::getBitsetSize).orElse(0);
    }

    /** Whether one of some values may be there. */
    boolean mayHave(Column values, PrimitiveType type) {
      // A column that has got more digits since then has other bytes.
      boolean isNarrow =
          type.getPrimitiveTypeName() == PrimitiveTypeName.INT32
              || type.getPrimitiveTypeName() == PrimitiveTypeName.INT64;
      if (filter.isEmpty() || isNarrow && values instanceof WideColumn) {
        return true;
      }
      Hashes hashes = new Hashes(filter.get(), type);
      for (int v = 0; v < values.size(); v++) {
        if (filter.get().findHash(hashes.of(values, v))) {
          return true;
        }
      }
      return false;
    }
  }

  /** Hashes of values as a plain page has them. One thread at a time. */
  private static final class Hashes {
    private final BloomFilter filter;
    private final PrimitiveType type;
    private final PageBuffer buffer = new PageBuffer(64);
    private final int[] row = new int[1];

    Hashes(BloomFilter filter, PrimitiveType type) {
      this.filter = filter;
      this.type = type;
    }

    long of(Column column, int at) {
      PrimitiveTypeName physical = type.getPrimitiveTypeName();
      if (physical == PrimitiveTypeName.INT32) {
        return filter.hash((int) Values.whole(column, at));
      } else if (physical == PrimitiveTypeName.INT64) {
        return filter.hash(Values.whole(column, at));
      }
      buffer.clear();
      row[0] = at;
      ChunkEncoder.putPlain(buffer, column, row, 1, type);
      // A text stands behind its length, which does not count.
      int from = physical == PrimitiveTypeName.BINARY ? Integer.BYTES : 0;
      return filter.hash(
          Binary.fromConstantByteArray(Arrays.copyOfRange(buffer.bytes, from, buffer.length)));
    }
  }
}

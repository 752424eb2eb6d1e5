package yardage.core.format.parquet;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import org.apache.parquet.column.values.bloomfilter.BloomFilter;
import org.apache.parquet.schema.MessageType;
import org.apache.parquet.schema.PrimitiveType;
import yardage.core.column.Column;

/** Rows encoded and compressed, on any thread, before they take their turn in a file. */
public final class RowGroup {
  private static final ThreadLocal<ChunkEncoder> ENCODER =
      ThreadLocal.withInitial(ChunkEncoder::new);

  private final int rowCount;
  private final List<EncodedChunk> chunks;

  RowGroup(int rowCount, List<EncodedChunk> chunks) {
    this.rowCount = rowCount;
    this.chunks = chunks;
  }

  /** Encodes columns as the fields of {@code schema}, in order. */
  public static RowGroup encode(List<Column> columns, MessageType schema) {
    return encode(columns, schema, DistinctRows.NOBODY, new int[0]);
  }

  /**
   * As {@link #encode(List, MessageType)}.
   *
   * @param distinct is told of columns that are not nested
   * @param found columns that get Bloom filters, by their places
   */
  public static RowGroup encode(
      List<Column> columns, MessageType schema, DistinctRows distinct, int[] found) {
    List<EncodedChunk> chunks = new ArrayList<>();
    for (int i = 0; i < columns.size(); i++) {
      Column column = columns.get(i);
      if (column.type().isNested()) {
        for (LeafLevels leaf : LeafLevels.of(column, schema.getType(i))) {
          chunks.add(ENCODER.get().encode(leaf, column.size()));
        }
      } else {
        int number = i;
        chunks.add(
            encode(
                number, column, schema, distinct, IntStream.of(found).anyMatch(f -> f == number)));
      }
    }
    return new RowGroup(columns.get(0).size(), chunks);
  }

  private static EncodedChunk encode(
      int number, Column column, MessageType schema, DistinctRows distinct, boolean isFound) {
    PrimitiveType type = schema.getType(number).asPrimitiveType();
    BloomFilter[] bloom = new BloomFilter[1];
    EncodedChunk chunk =
        ENCODER
            .get()
            .encode(
                column,
                type,
                (rows, n) -> {
                  if (n < 0) {
                    distinct.all(number, column);
                  } else {
                    distinct.some(number, column, rows, n);
                  }
                  if (isFound) {
                    bloom[0] =
                        n < 0
                            ? BloomFilters.of(column, type)
                            : BloomFilters.of(column, rows, n, type);
                  }
                });
    return isFound ? chunk.with(bloom[0]) : chunk;
  }

  public int rowCount() {
    return rowCount;
  }

  /** Compressed bytes. */
  public long sizeBytes() {
    return chunks.stream().mapToLong(EncodedChunk::sizeBytes).sum();
  }

  /** What its Bloom filters take, which are kept until the file ends. */
  public long bloomBytes() {
    return chunks.stream().mapToLong(EncodedChunk::bloomBytes).sum();
  }

  List<EncodedChunk> chunks() {
    return chunks;
  }
}

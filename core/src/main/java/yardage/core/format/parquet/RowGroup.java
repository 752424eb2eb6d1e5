package yardage.core.format.parquet;

import java.util.ArrayList;
import java.util.List;
import org.apache.parquet.schema.MessageType;
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
    return encode(columns, schema, DistinctRows.NOBODY);
  }

  /**
   * As {@link #encode(List, MessageType)}.
   *
   * @param distinct is told of columns that are not nested
   */
  public static RowGroup encode(List<Column> columns, MessageType schema, DistinctRows distinct) {
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
            ENCODER
                .get()
                .encode(
                    column,
                    schema.getType(i).asPrimitiveType(),
                    (rows, n) -> {
                      if (n < 0) {
                        distinct.all(number, column);
                      } else {
                        distinct.some(number, column, rows, n);
                      }
                    }));
      }
    }
    return new RowGroup(columns.get(0).size(), chunks);
  }

  public int rowCount() {
    return rowCount;
  }

  /** Compressed bytes. */
  public long sizeBytes() {
    return chunks.stream().mapToLong(EncodedChunk::sizeBytes).sum();
  }

  List<EncodedChunk> chunks() {
    return chunks;
  }
}

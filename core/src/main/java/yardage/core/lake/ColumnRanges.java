package yardage.core.lake;

import java.nio.ByteBuffer;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import org.apache.iceberg.DataFile;
import org.apache.iceberg.Schema;
import org.apache.iceberg.types.Conversions;
import org.apache.iceberg.types.Types;

/**
 * The smallest and the largest value of each column of whole numbers or days, of all files.
 *
 * @param byColumn by the place of the column; only where all files tell both
 */
record ColumnRanges(Map<Integer, Range> byColumn) {
  record Range(long smallest, long largest) {
    private Range and(Range other) {
      return new Range(Math.min(smallest, other.smallest), Math.max(largest, other.largest));
    }
  }

  static ColumnRanges of(Schema schema, List<DataFile> files) {
    Map<Integer, Range> out = new HashMap<>();
    List<Types.NestedField> columns = schema.columns();
    for (int c = 0; c < columns.size(); c++) {
      Types.NestedField column = columns.get(c);
      boolean isWhole =
          switch (column.type().typeId()) {
            case INTEGER, LONG, DATE -> true;
            default -> false;
          };
      Range all = null;
      boolean told = isWhole;
      for (int f = 0; told && f < files.size(); f++) {
        DataFile file = files.get(f);
        if (isOfNulls(file, column.fieldId())) {
          continue;
        }
        Optional<Number> smallest = bound(file.lowerBounds(), column);
        Optional<Number> largest = bound(file.upperBounds(), column);
        told = smallest.isPresent() && largest.isPresent();
        if (told) {
          Range range = new Range(smallest.get().longValue(), largest.get().longValue());
          all = all == null ? range : all.and(range);
        }
      }
      if (told && all != null) {
        out.put(c, all);
      }
    }
    return new ColumnRanges(Map.copyOf(out));
  }

  private static boolean isOfNulls(DataFile file, int field) {
    return file.nullValueCounts() != null
        && file.nullValueCounts().getOrDefault(field, -1L) == file.recordCount();
  }

  /**
   * A column's bound in a file; empty where it is not told.
   *
   * @param bounds of all columns; null where a file tells none
   */
  static <V> Optional<V> bound(Map<Integer, ByteBuffer> bounds, Types.NestedField column) {
    return bounds == null || !bounds.containsKey(column.fieldId())
        ? Optional.empty()
        : Optional.of(Conversions.fromByteBuffer(column.type(), bounds.get(column.fieldId())));
  }

  /** No more than the rows, and no more than lie in the range. */
  OptionalDouble valueCount(int column, long rows) {
    Range range = byColumn.get(column);
    return range == null
        ? OptionalDouble.empty()
        : OptionalDouble.of(
            Math.min(rows, (double) range.largest() - (double) range.smallest() + 1));
  }
}

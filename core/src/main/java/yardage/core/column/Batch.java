package yardage.core.column;

import java.util.List;

/**
 * Some rows as columns of one length, about {@link #TARGET_ROWS} of them. {@code sequence} orders
 * batches as their rows stood in the input: a later file, split or block has a larger one. It is
 * kept by every operator that works in place, so that "first" and "last" mean the same however many
 * workers ran.
 */
public record Batch(List<Column> columns, int rowCount, long sequence) {
  public static final int TARGET_ROWS = 4096;

  public Batch {
    columns = List.copyOf(columns);
    for (Column column : columns) {
      if (column.size() != rowCount) {
        throw new IllegalArgumentException(
            "Column of %d rows in a batch of %d".formatted(column.size(), rowCount));
      }
    }
  }

  public Column column(int ordinal) {
    return columns.get(ordinal);
  }

  public Batch withColumns(List<Column> columns) {
    return new Batch(columns, rowCount, sequence);
  }

  public Batch withSequence(long sequence) {
    return new Batch(columns, rowCount, sequence);
  }

  public Batch gather(int[] rows, int count) {
    return new Batch(columns.stream().map(c -> c.gather(rows, count)).toList(), count, sequence);
  }

  /**
   * The same rows in arrays that hold little else, for whoever keeps them: text may lie in a whole
   * file block. Columns that hold nothing else stay as they are, since none is ever written to;
   * copying them was a fifth of a dedupe's time.
   */
  public Batch kept() {
    return withColumns(columns.stream().map(c -> c.isTight() ? c : copy(c)).toList());
  }

  private static Column copy(Column column) {
    ColumnBuilder builder = ColumnBuilder.of(column.type());
    builder.appendAll(column);
    return builder.build();
  }

  public long sizeBytes() {
    long sum = 0;
    for (Column column : columns) {
      sum += column.sizeBytes();
    }
    return sum;
  }
}

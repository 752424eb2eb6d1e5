package yardage.core.column;

import java.util.List;
import java.util.Optional;

/**
 * Some rows as columns of one length, about {@link #TARGET_ROWS} of them. {@code sequence} orders
 * batches as their rows stood in the input: a later file, split or block has a larger one. It is
 * kept by every operator that works in place, so that "first" and "last" mean the same however many
 * workers ran. Rows that were cut out of their batches and put together anew have {@code places}.
 */
public record Batch(List<Column> columns, int rowCount, long sequence, Optional<Places> places) {
  public static final int TARGET_ROWS = 4096;

  /** The bits of a sequence that tell the batches of one input apart; those above, the inputs. */
  public static final int WITHIN_INPUT_BITS = 52;

  public Batch {
    columns = List.copyOf(columns);
    for (Column column : columns) {
      if (column.size() != rowCount) {
        throw new IllegalArgumentException(
            "Column of %d rows in a batch of %d".formatted(column.size(), rowCount));
      }
    }
  }

  /** Rows that stand in the input as they stand here. */
  public Batch(List<Column> columns, int rowCount, long sequence) {
    this(columns, rowCount, sequence, Optional.empty());
  }

  public Column column(int ordinal) {
    return columns.get(ordinal);
  }

  public Batch withColumns(List<Column> columns) {
    return new Batch(columns, rowCount, sequence, places);
  }

  public Batch withSequence(long sequence) {
    return new Batch(columns, rowCount, sequence, places);
  }

  public Batch gather(int[] rows, int count) {
    return derived(columns.stream().map(c -> c.gather(rows, count)).toList(), rows, count);
  }

  /**
   * Other rows that were made of these.
   *
   * @param rows the row here that each of {@code count} rows was made of
   */
  public Batch derived(List<Column> columns, int[] rows, int count) {
    return new Batch(columns, count, sequence, places.map(p -> p.gather(rows, count)));
  }

  /** The place of each row in the input, whether or not the batch was put together anew. */
  public Places placesOfRows() {
    if (places.isPresent()) {
      return places.get();
    }
    long[] sequences = new long[rowCount];
    int[] rows = new int[rowCount];
    for (int i = 0; i < rowCount; i++) {
      sequences[i] = sequence;
      rows[i] = i;
    }
    return new Places(sequences, rows);
  }

  /**
   * Compares rows by where they stood in the input: below zero when {@code row} came first, zero
   * when both were made of one row or of batches of one sequence.
   */
  public int comparePlace(int row, Batch other, int otherRow) {
    int c = Long.compare(sequence >>> WITHIN_INPUT_BITS, other.sequence >>> WITHIN_INPUT_BITS);
    if (c == 0 && places.isPresent() && other.places.isPresent()) {
      Places a = places.get();
      Places b = other.places.get();
      c = Long.compare(a.sequences()[row], b.sequences()[otherRow]);
      c = c == 0 ? Integer.compare(a.rows()[row], b.rows()[otherRow]) : c;
    }
    if (c == 0) {
      c = Long.compare(sequence, other.sequence);
    }
    return c == 0 && this == other ? Integer.compare(row, otherRow) : c;
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
    long sum = places.map(Places::sizeBytes).orElse(0L);
    for (Column column : columns) {
      sum += column.sizeBytes();
    }
    return sum;
  }
}

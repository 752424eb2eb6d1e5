package yardage.core.column;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;

/**
 * Some rows as columns of one length, about {@link #TARGET_ROWS} of them. Batches are ordered as
 * their rows stood in what the stage reads: by {@code input}, of which a union has several, then by
 * {@code sequence}, which a later file, split or block has larger. Both are kept by every operator
 * that works in place, so that "first" and "last" mean the same however many workers ran. Rows that
 * were cut out of their batches and put together anew have {@code places}, which count instead.
 */
public record Batch(
    List<Column> columns, int rowCount, int input, long sequence, Optional<Places> places) {
  public static final int TARGET_ROWS = 4096;

  /** Batches as they stood. */
  public static final Comparator<Batch> IN_ORDER =
      Comparator.comparingInt(Batch::input).thenComparingLong(Batch::sequence);

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
    this(columns, rowCount, 0, sequence, Optional.empty());
  }

  /** Rows with places of their own. */
  public Batch(List<Column> columns, int rowCount, Places places) {
    this(columns, rowCount, 0, 0, Optional.of(places));
  }

  public Column column(int ordinal) {
    return columns.get(ordinal);
  }

  /** The values of a row, as {@link Column#value} gives them; nulls among them. */
  public List<Object> row(int row) {
    List<Object> out = new ArrayList<>(columns.size());
    for (Column column : columns) {
      out.add(column.value(row));
    }
    return out;
  }

  /** All rows of some batches, as {@link #row} gives them. */
  public static List<List<Object>> rows(List<Batch> batches) {
    List<List<Object>> out = new ArrayList<>();
    for (Batch batch : batches) {
      for (int r = 0; r < batch.rowCount; r++) {
        out.add(batch.row(r));
      }
    }
    return out;
  }

  public Batch withColumns(List<Column> columns) {
    return new Batch(columns, rowCount, input, sequence, places);
  }

  public Batch withSequence(long sequence) {
    return new Batch(columns, rowCount, input, sequence, places);
  }

  /** The same rows in another stage, where so many inputs come first. */
  public Batch behind(int inputs, long sequence) {
    return new Batch(
        columns, rowCount, input + inputs, sequence, places.map(p -> p.behind(inputs)));
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
    return new Batch(columns, count, input, sequence, places.map(p -> p.gather(rows, count)));
  }

  /** The place of each row in the input, whether or not the batch was put together anew. */
  public Places placesOfRows() {
    if (places.isPresent()) {
      return places.get();
    }
    int[] inputs = new int[rowCount];
    long[] sequences = new long[rowCount];
    int[] rows = new int[rowCount];
    Arrays.fill(inputs, input);
    Arrays.fill(sequences, sequence);
    for (int i = 0; i < rowCount; i++) {
      rows[i] = i;
    }
    return new Places(inputs, sequences, rows);
  }

  /**
   * Compares rows by where they stood in the input: below zero when {@code row} came first, zero
   * when both were made of one row or of batches of one sequence.
   */
  public int comparePlace(int row, Batch other, int otherRow) {
    if (places.isPresent() && other.places.isPresent()) {
      int c = places.get().compare(row, other.places.get(), otherRow);
      if (c != 0) {
        return c;
      }
    }
    int c = Integer.compare(inputOf(row), other.inputOf(otherRow));
    c = c == 0 ? Long.compare(sequence, other.sequence) : c;
    return c == 0 && this == other ? Integer.compare(row, otherRow) : c;
  }

  private int inputOf(int row) {
    return places.isPresent() ? places.get().inputs()[row] : input;
  }

  /** One more than the last input that a row here is of. */
  public int inputs() {
    if (places.isEmpty()) {
      return input + 1;
    }
    int last = 0;
    for (int i : places.get().inputs()) {
      last = Math.max(last, i);
    }
    return last + 1;
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

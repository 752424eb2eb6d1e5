package yardage.core.exec;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.function.UnaryOperator;
import yardage.core.column.*;

/**
 * Keeps all rows in the order of their input in memory, then hands them on as one set of columns,
 * changed if asked.
 */
final class CollectSink implements Sink {
  private final Schema schema;
  private final UnaryOperator<List<Column>> transform;
  private final MemoryPool.Reservation reservation;
  private final List<Batch> batches = new ArrayList<>();
  private final long enough;
  private long bytes;
  private long rowCount;
  private List<Column> result;

  CollectSink(
      Schema schema,
      StepTally tally,
      String what,
      ExecutionContext context,
      UnaryOperator<List<Column>> transform) {
    this(schema, tally, what, context, transform, Long.MAX_VALUE);
  }

  /** Asks for no more once {@code enough} rows are there. */
  CollectSink(
      Schema schema,
      StepTally tally,
      String what,
      ExecutionContext context,
      UnaryOperator<List<Column>> transform,
      long enough) {
    this.schema = schema;
    this.transform = transform;
    this.enough = enough;
    this.reservation = context.memory().reservation(tally, what);
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    return batch -> {
      Batch copy = batch.kept();
      synchronized (this) {
        bytes += copy.sizeBytes();
        reservation.resize(bytes);
        batches.add(copy);
        rowCount += copy.rowCount();
        if (rowCount >= enough) {
          throw EnoughRows.INSTANCE;
        }
      }
    };
  }

  @Override
  public void finish() {
    reservation.resize(2 * bytes);
    List<Batch> batches = inOrder();
    List<Column> columns = new ArrayList<>();
    for (int c = 0; c < schema.size(); c++) {
      ColumnBuilder builder = ColumnBuilder.of(schema.field(c).type());
      for (Batch batch : batches) {
        builder.appendAll(batch.column(c));
      }
      columns.add(builder.build());
    }
    this.batches.clear();
    result = columns.isEmpty() ? columns : transform.apply(columns);
    reservation.resize(result.stream().mapToLong(Column::sizeBytes).sum());
  }

  /** The batches as their rows stood in the input, row by row where they were put together anew. */
  private List<Batch> inOrder() {
    if (batches.stream().noneMatch(b -> b.places().isPresent())) {
      batches.sort(Comparator.comparingLong(Batch::sequence));
      return batches;
    }
    List<int[]> rows = new ArrayList<>();
    for (int b = 0; b < batches.size(); b++) {
      for (int r = 0; r < batches.get(b).rowCount(); r++) {
        rows.add(new int[] {b, r});
      }
    }
    rows.sort((x, y) -> batches.get(x[0]).comparePlace(x[1], batches.get(y[0]), y[1]));
    ColumnBuilder[] builders = ColumnBuilder.of(schema);
    for (int[] at : rows) {
      for (int c = 0; c < builders.length; c++) {
        builders[c].append(batches.get(at[0]).column(c), at[1]);
      }
    }
    List<Column> columns = java.util.Arrays.stream(builders).map(ColumnBuilder::build).toList();
    return List.of(new Batch(columns, rows.size(), 0));
  }

  @Override
  public void abort() {
    release();
  }

  ScanSource source() {
    return BatchStore.source(() -> result);
  }

  List<Column> result() {
    return result;
  }

  void release() {
    batches.clear();
    result = List.of();
    reservation.close();
  }

  /** Ends a stage early, and well: not an error. */
  static final class EnoughRows extends RuntimeException {
    static final EnoughRows INSTANCE = new EnoughRows();

    private EnoughRows() {
      super("enough rows", null, false, false);
    }
  }
}

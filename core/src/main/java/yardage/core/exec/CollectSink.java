package yardage.core.exec;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.function.UnaryOperator;
import yardage.core.column.*;

/**
 * Keeps all rows in the order of their input, then hands them on as one set of columns, sorted or
 * cut if asked.
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

  static CollectSink sorting(PhysicalNode.Sort node, ExecutionContext context) {
    RowOrder order = new RowOrder(node.keys());
    return new CollectSink(
        node.schema(),
        node.tally(),
        "rows to sort",
        context,
        columns -> {
          int rows = columns.get(0).size();
          int[] numbers = new int[rows];
          for (int i = 0; i < rows; i++) {
            numbers[i] = i;
          }
          if (!node.keys().isEmpty()) {
            order.sort(columns, numbers, context.cancel());
          }
          int from = (int) Math.min(node.offset(), rows);
          int to = node.fetch() < 0 ? rows : (int) Math.min(rows, from + node.fetch());
          node.tally().filtered.add(rows - (to - from));
          int[] kept = java.util.Arrays.copyOfRange(numbers, from, to);
          return columns.stream().map(c -> c.gather(kept, kept.length)).toList();
        });
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
    batches.sort(Comparator.comparingLong(Batch::sequence));
    reservation.resize(2 * bytes);
    List<Column> columns = new ArrayList<>();
    for (int c = 0; c < schema.size(); c++) {
      ColumnBuilder builder = ColumnBuilder.of(schema.field(c).type());
      for (Batch batch : batches) {
        builder.appendAll(batch.column(c));
      }
      columns.add(builder.build());
    }
    batches.clear();
    result = columns.isEmpty() ? columns : transform.apply(columns);
    reservation.resize(result.stream().mapToLong(Column::sizeBytes).sum());
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

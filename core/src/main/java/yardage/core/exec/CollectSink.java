package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.*;

/** Keeps all rows in memory, in the order of their input, for a caller that takes them all. */
final class CollectSink implements Sink {
  private final List<Type> types;
  private final ExecutionContext context;
  private final MemoryPool.Reservation reservation;
  private final List<Batch> batches = new ArrayList<>();
  private final long enough;
  private long bytes;
  private long rowCount;
  private List<Column> result = List.of();

  /** Asks for no more once {@code enough} rows are there. */
  CollectSink(Schema schema, StepTally tally, String what, ExecutionContext context, long enough) {
    this.types = schema.types();
    this.context = context;
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
    result = InputOrder.together(types, batches, context).columns();
    batches.clear();
    reservation.resize(result.stream().mapToLong(Column::sizeBytes).sum());
  }

  @Override
  public void abort() {
    release();
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

package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.*;
import yardage.core.plan.WholeSpec;

/** Gives a {@link WholeStep} all rows at once. */
final class WholeSink implements Holding {
  private final WholeSpec spec;
  private final StepTally tally;
  private final ExecutionContext context;
  private final MemoryPool.Reservation reservation;
  private final List<Batch> batches = new ArrayList<>();
  private long bytes;
  private List<Column> result = List.of();

  WholeSink(WholeSpec spec, StepTally tally, ExecutionContext context) {
    this.spec = spec;
    this.tally = tally;
    this.context = context;
    this.reservation = context.memory().reservation(tally, spec.purpose());
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    return batch -> hold(batch.kept());
  }

  private synchronized void hold(Batch batch) {
    bytes += batch.sizeBytes();
    reservation.resize(bytes);
    batches.add(batch);
  }

  @Override
  public void finish() {
    List<Type> types = spec.input().fields().stream().map(Schema.Field::type).toList();
    reservation.resize(2 * bytes);
    Batch[] all = new Batch[1];
    TextRoom.accounted(() -> all[0] = InputOrder.together(types, batches, context));
    batches.clear();
    result =
        types.isEmpty()
            ? List.of()
            : ((WholeStep) spec.what()).apply(all[0].columns(), tally, context);
    reservation.resize(result.stream().mapToLong(Column::sizeBytes).sum());
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    return BatchStore.source(() -> result);
  }

  @Override
  public void release() {
    batches.clear();
    result = List.of();
    reservation.close();
  }
}

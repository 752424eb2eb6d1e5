package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.*;
import yardage.core.plan.SortKey;
import yardage.core.plan.SortSpec;
import yardage.core.plan.WholeSpec;

/**
 * Keeps the rows that a {@link PickedStep} picks: as the first ones by their numbers, put back into
 * the order of the input where they fit in memory.
 */
final class PickSink implements Holding {
  private final PickedStep step;
  private final ExecutionContext context;
  private final int width;
  private final List<Type> types;
  private final SortSink numbered;
  private final MemoryPool.Reservation reservation;
  private Exchange run;
  private List<Column> result = List.of();

  PickSink(WholeSpec spec, PickedStep step, StepTally tally, ExecutionContext context) {
    this.step = step;
    this.context = context;
    width = spec.input().size();
    List<Schema.Field> fields = new ArrayList<>(spec.input().fields());
    // No name of a column has a blank at its end.
    fields.add(new Schema.Field("number ", Type.BIGINT));
    types = fields.stream().map(Schema.Field::type).toList();
    SortSpec order =
        new SortSpec(
            spec.step(), List.of(SortKey.of(width, false)), 0, step.count(), new Schema(fields));
    numbered = new SortSink(order, true, tally, context);
    reservation = context.memory().reservation(tally, spec.purpose());
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    BatchConsumer to = numbered.consumer(worker);
    return batch -> {
      long[] numbers = new long[batch.rowCount()];
      for (int r = 0; r < numbers.length; r++) {
        numbers[r] = step.number(batch, r);
      }
      List<Column> columns = new ArrayList<>(batch.columns());
      columns.add(new LongColumn(Type.BIGINT, numbers, null, numbers.length));
      to.accept(batch.withColumns(columns));
    };
  }

  @Override
  public void finish() {
    numbered.finish();
    run = numbered.run();
    if (reservation.tryShare(2 * run.rowBytes(0))) {
      List<Batch> rows = new ArrayList<>();
      run.read(0, rows::add);
      TextRoom.accounted(
          () -> result = InputOrder.together(types, rows, context).columns().subList(0, width));
      run.close();
      run = null;
      reservation.resize(result.stream().mapToLong(Column::sizeBytes).sum());
    }
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    return run == null
        ? BatchStore.source(() -> result)
        : run.source(
            new Turns(),
            (part, out) ->
                run.read(part, b -> out.accept(b.withColumns(b.columns().subList(0, width)))));
  }

  @Override
  public void release() {
    numbered.release();
    result = List.of();
    reservation.close();
    if (run != null) {
      run.close();
    }
  }
}

package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.*;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateSpec;
import yardage.core.plan.WholeSpec;

/**
 * Windows over all rows, where order does not matter, as in {@code count(*) OVER ()}: the totals
 * are computed while the rows come in, and put beside each when they are read again. Rows that
 * memory does not take wait on disk.
 */
final class TotalsSink implements Holding {
  private final ExecutionContext context;
  private final SpoolSink rows;
  private final AggregateSink totals;

  TotalsSink(WholeSpec spec, WindowStep step, StepTally tally, ExecutionContext context) {
    this.context = context;
    rows = new SpoolSink(spec.input(), tally, context);
    List<AggregateCall> calls =
        step.calls().stream().map(c -> ((WindowStep.Total) c).call()).toList();
    int width = spec.input().size();
    // A group that is there is no row of the step: what it counts is not told.
    totals =
        new AggregateSink(
            new AggregateSpec(
                spec.step(),
                new int[0],
                calls,
                spec.input(),
                new Schema(spec.schema().fields().subList(width, spec.schema().size()))),
            new StepTally(spec.step(), "totals"),
            context);
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    BatchConsumer kept = rows.consumer(worker);
    BatchConsumer added = totals.consumer(worker);
    return batch -> {
      added.accept(batch);
      kept.accept(batch);
    };
  }

  @Override
  public void finish() {
    rows.finish();
    totals.finish();
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    ScanSource again = rows.source();
    return new ScanSource() {
      @Override
      public List<Split> splits() {
        List<Column> row = totals();
        return again.splits().stream()
            .<Split>map(split -> (worker, out) -> split.read(worker, b -> out.accept(with(b, row))))
            .toList();
      }

      @Override
      public int inputs() {
        return again.inputs();
      }
    };
  }

  /** The one row of totals. */
  private List<Column> totals() {
    List<Column> out = new ArrayList<>();
    for (ScanSource.Split split : totals.source().splits()) {
      split.read(new Worker(0, context), batch -> out.addAll(batch.columns()));
    }
    return out;
  }

  private static Batch with(Batch batch, List<Column> totals) {
    List<Column> columns = new ArrayList<>(batch.columns());
    int[] first = new int[batch.rowCount()];
    totals.forEach(t -> columns.add(t.gather(first, first.length)));
    return batch.withColumns(columns);
  }

  @Override
  public void release() {
    rows.release();
    totals.release();
  }
}

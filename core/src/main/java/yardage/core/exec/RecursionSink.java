package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import java.util.function.Function;
import yardage.core.column.*;
import yardage.core.expr.ExpressionException;
import yardage.core.plan.RecordCodec;
import yardage.core.plan.Recursion;
import yardage.core.plan.RowCondition;
import yardage.core.plan.ScanDescription;
import yardage.core.plan.TargetDescription;
import yardage.core.plan.WholeSpec;
import yardage.core.plan.WorkingRows;

/**
 * Takes the rows that a recursive query begins with, and adds to them round by round. Each round is
 * a run of the step's plan by itself, with all workers. Rows wait in memory or on disk; what tells
 * rows that were there already is held in memory.
 */
final class RecursionSink implements Holding {
  /** A query that goes on beyond would most likely not end. */
  static final int MOST_ROUNDS = 10_000;

  private final WholeSpec spec;
  private final Recursion recursion;
  private final StepTally tally;
  private final ExecutionContext context;
  private final Endpoints endpoints;
  private final Function<String, StepTally> tallies;
  private final Type[] types;
  private final MemoryPool.Reservation reservation;
  private final KeyTable seen;

  /** The rows of all rounds, and those of the last one. */
  private final SpoolSink all;

  private Round round;

  RecursionSink(
      WholeSpec spec,
      Recursion recursion,
      StepTally tally,
      ExecutionContext context,
      Endpoints endpoints,
      Function<String, StepTally> tallies) {
    this.spec = spec;
    this.recursion = recursion;
    this.tally = tally;
    this.context = context;
    this.endpoints = endpoints;
    this.tallies = tallies;
    this.types = spec.schema().fields().stream().map(Schema.Field::type).toArray(Type[]::new);
    this.seen = new KeyTable(types);
    this.reservation = context.memory().reservation(tally, spec.purpose());
    this.all = new SpoolSink(spec.schema(), tally, context);
    this.round = new Round();
  }

  /** The rows of one round. */
  private final class Round {
    private final SpoolSink rows = new SpoolSink(spec.schema(), tally, context);
    private final BatchConsumer toAll = all.consumer(new Worker(0, context));
    private final BatchConsumer toThis = rows.consumer(new Worker(0, context));
    private boolean any;

    /** Takes the rows of a batch that are new; they have no order. */
    private void add(Batch batch) {
      Batch more = recursion.keepsAll() ? batch : unseen(batch);
      if (more.rowCount() > 0) {
        Batch own = new Batch(more.columns(), more.rowCount(), 0).kept();
        toAll.accept(own);
        toThis.accept(own);
        any = true;
      }
    }
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    return this::add;
  }

  private synchronized void add(Batch batch) {
    round.add(batch);
  }

  private Batch unseen(Batch batch) {
    int[] numbers = new int[batch.rowCount()];
    int before = seen.count();
    // As much again as the rows is what their keys may take; it is given back when it does not.
    reservation.resize(seen.sizeBytes() + 2 * batch.sizeBytes() + (1 << 14));
    seen.numberOf(batch.columns().toArray(Column[]::new), batch.rowCount(), numbers);
    int[] fresh = seen.firstRows(before, numbers, batch.rowCount());
    Arrays.sort(fresh);
    int n = fresh.length;
    tally.merged.add(batch.rowCount() - n);
    reservation.resize(seen.sizeBytes());
    return n == batch.rowCount() ? batch : batch.gather(fresh, n);
  }

  @Override
  public void finish() {
    for (int n = 0; round.any; n++) {
      context.cancel().check();
      if (n == MOST_ROUNDS) {
        throw new ExpressionException(
            "[%s] names itself without end: after %,d rounds it still gives rows; add a condition that ends it, as in WHERE depth < 100, or write UNION for UNION ALL where rows come again"
                .formatted(recursion.name(), MOST_ROUNDS));
      }
      SpoolSink last = round.rows;
      last.finish();
      round = new Round();
      try {
        new Executor(context, new Working(last), tallies)
            .run(recursion.step(), worker -> this::add, spec.step());
      } finally {
        last.release();
      }
    }
    all.finish();
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    return all.source();
  }

  @Override
  public void release() {
    round.rows.release();
    all.release();
    reservation.close();
  }

  /** What the step reads: the rows of the last round, and all else as before. */
  private final class Working implements Endpoints {
    private final SpoolSink last;

    Working(SpoolSink last) {
      this.last = last;
    }

    @Override
    public ScanSource source(ScanDescription what, List<RowCondition> counting, StepTally read) {
      if (!(what instanceof WorkingRows working && working.name().equals(recursion.name()))) {
        return endpoints.source(what, counting, read);
      }
      ScanSource rows = last.source();
      return () ->
          rows.splits().stream()
              .<ScanSource.Split>map(
                  split ->
                      (worker, out) ->
                          split.read(
                              worker,
                              batch -> {
                                read.rowsIn.add(batch.rowCount());
                                out.accept(batch);
                              }))
              .toList();
    }

    @Override
    public Sink target(TargetDescription what, StepTally written, ExecutionContext in) {
      return endpoints.target(what, written, in);
    }

    @Override
    public RecordCodec codec() {
      return endpoints.codec();
    }
  }
}

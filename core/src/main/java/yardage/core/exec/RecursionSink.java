package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.Function;
import java.util.function.IntConsumer;
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
 * a run of the step's plan by itself, with all workers. Rows are held in memory.
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
  private final List<Batch> rows = new ArrayList<>();
  private long bytes;

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
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    return batch -> add(batch.kept(), rows);
  }

  /** Adds the rows of a batch that are new, to those of all rounds and to some. */
  private synchronized void add(Batch batch, List<Batch> to) {
    Batch more = recursion.keepsAll() ? batch : unseen(batch);
    if (more.rowCount() > 0) {
      bytes += more.sizeBytes();
      reservation.resize(bytes + (recursion.keepsAll() ? 0 : seen.sizeBytes()));
      to.add(more);
    }
  }

  private Batch unseen(Batch batch) {
    int[] numbers = new int[batch.rowCount()];
    int before = seen.count();
    // As much again as the rows is what their keys may take; it is given back when it does not.
    reservation.resize(bytes + seen.sizeBytes() + 2 * batch.sizeBytes() + (1 << 14));
    seen.numberOf(batch.columns().toArray(Column[]::new), batch.rowCount(), numbers);
    int[] fresh = seen.firstRows(before, numbers, batch.rowCount());
    Arrays.sort(fresh);
    int n = fresh.length;
    tally.merged.add(batch.rowCount() - n);
    return n == batch.rowCount() ? batch : batch.gather(fresh, n);
  }

  @Override
  public void finish() {
    List<Batch> delta = List.copyOf(rows);
    for (int round = 0; !delta.isEmpty(); round++) {
      context.cancel().check();
      if (round == MOST_ROUNDS) {
        throw new ExpressionException(
            "[%s] names itself without end: after %,d rounds it still gives rows; add a condition that ends it, as in WHERE depth < 100, or write UNION for UNION ALL where rows come again"
                .formatted(recursion.name(), MOST_ROUNDS));
      }
      List<Batch> last = delta;
      Executor executor = new Executor(context, new Working(last), tallies);
      List<Batch> next = new ArrayList<>();
      for (Batch batch : executor.collect(recursion.step(), spec.step())) {
        add(batch, next);
      }
      rows.addAll(next);
      delta = next;
    }
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    return source(rows, n -> {});
  }

  /**
   * Rows as a source of their own, in which batches have no order.
   *
   * @param read is told how many rows each batch has
   */
  private static ScanSource source(List<Batch> rows, IntConsumer read) {
    return () ->
        rows.stream()
            .<ScanSource.Split>map(
                b ->
                    (worker, out) -> {
                      read.accept(b.rowCount());
                      out.accept(new Batch(b.columns(), b.rowCount(), 0));
                    })
            .toList();
  }

  @Override
  public void release() {
    rows.clear();
    reservation.close();
  }

  /** What the step reads: the rows of the last round, and all else as before. */
  private final class Working implements Endpoints {
    private final List<Batch> last;

    Working(List<Batch> last) {
      this.last = last;
    }

    @Override
    public ScanSource source(ScanDescription what, List<RowCondition> counting, StepTally read) {
      if (!(what instanceof WorkingRows working && working.name().equals(recursion.name()))) {
        return endpoints.source(what, counting, read);
      }
      return RecursionSink.source(last, read.rowsIn::add);
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

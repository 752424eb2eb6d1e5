package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.plan.WholeSpec;

/**
 * Gives a {@link WholeStep} all rows at once. When they find no more memory, and the step says that
 * rows with other keys need not see each other, they go to an exchange, cut by those keys, and the
 * step takes one part after the other.
 */
final class WholeSink implements Holding {
  private static final int PARTS = 32;
  private static final int MOST_LEVELS = 6;

  /** A part's rows as they are read, side by side, and what the step makes of them. */
  private static final int COPIES = 3;

  private final WholeSpec spec;
  private final StepTally tally;
  private final ExecutionContext context;
  private final List<Type> types;
  private final WholeStep step;
  private final int[] apart;
  private final MemoryPool.Reservation reservation;
  private final List<Batch> batches = new ArrayList<>();
  private final List<Cutter> cutters = new ArrayList<>();
  private long bytes;
  private final Turns turns = new Turns();
  private volatile Exchange spilled;
  private List<Column> result = List.of();

  WholeSink(WholeSpec spec, StepTally tally, ExecutionContext context) {
    this.spec = spec;
    this.tally = tally;
    this.context = context;
    this.types = spec.input().fields().stream().map(Schema.Field::type).toList();
    this.step = (WholeStep) spec.what();
    this.apart = step.apart();
    this.reservation = context.memory().reservation(tally, spec.purpose());
  }

  private Exchange exchange() {
    return new Exchange(PARTS, types, context, tally, spec.purpose());
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    Cutter[] own = new Cutter[1];
    return batch -> {
      if (spilled == null && hold(batch.kept())) {
        return;
      }
      if (own[0] == null) {
        own[0] = cutter();
      }
      own[0].accept(batch);
    };
  }

  /**
   * @return false when the rows are taken apart instead
   */
  private synchronized boolean hold(Batch batch) {
    if (spilled != null) {
      return false;
    }
    long more = bytes + batch.sizeBytes();
    if (apart.length == 0) {
      reservation.resize(more);
    } else if (!reservation.tryShare(COPIES * more)) {
      spill();
      return false;
    }
    bytes = more;
    batches.add(batch);
    return true;
  }

  private void spill() {
    spilled = exchange();
    Cutter cutter = cutter();
    batches.forEach(cutter::accept);
    batches.clear();
    bytes = 0;
    reservation.resize(0);
  }

  private synchronized Cutter cutter() {
    Cutter cutter = new Cutter(spilled, types, apart, 0);
    cutters.add(cutter);
    return cutter;
  }

  @Override
  public void finish() {
    if (spilled != null) {
      cutters.forEach(Cutter::finish);
      cutters.clear();
      return;
    }
    reservation.resize(2 * bytes);
    result = apply(together(batches));
    batches.clear();
    reservation.resize(result.stream().mapToLong(Column::sizeBytes).sum());
  }

  private Batch together(List<Batch> some) {
    Batch[] out = new Batch[1];
    TextRoom.accounted(() -> out[0] = InputOrder.together(types, some, context));
    return out[0];
  }

  private List<Column> apply(Batch all) {
    return all.columns().isEmpty() ? all.columns() : step.apply(all.columns(), tally, context);
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    return spilled == null
        ? BatchStore.source(() -> result)
        : spilled.source(turns, (p, out) -> readPart(spilled, p, 1, out));
  }

  private void readPart(Exchange from, int part, int level, BatchConsumer out) {
    if (from.rows(part) == 0) {
      return;
    }
    try (MemoryPool.Reservation claim = context.memory().reservation(tally, spec.purpose())) {
      long needed = COPIES * from.rowBytes(part);
      if (!claim.tryShare(needed)) {
        if (level < MOST_LEVELS) {
          try (Exchange further = exchange()) {
            Cutter cutter = new Cutter(further, types, apart, level);
            from.read(part, cutter::accept);
            cutter.finish();
            if (IntStream.range(0, PARTS).allMatch(p -> further.rows(p) < from.rows(part))) {
              for (int p = 0; p < PARTS; p++) {
                readPart(further, p, level + 1, out);
              }
              return;
            }
          }
        }
        // One key, or as good as one.
        turns.insist(claim, needed);
      }
      List<Batch> rows = new ArrayList<>();
      from.read(part, rows::add);
      Batch all = together(rows);
      rows.clear();
      Batch made = all.withColumns(apply(all));
      for (int at = 0; at < made.rowCount(); at += Batch.TARGET_ROWS) {
        int to = Math.min(made.rowCount(), at + Batch.TARGET_ROWS);
        out.accept(made.gather(IntStream.range(at, to).toArray(), to - at));
      }
    }
  }

  @Override
  public void release() {
    batches.clear();
    result = List.of();
    reservation.close();
    if (spilled != null) {
      spilled.close();
    }
  }
}

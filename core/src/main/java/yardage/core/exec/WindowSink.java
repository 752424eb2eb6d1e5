package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.plan.SortSpec;
import yardage.core.plan.WholeSpec;

/**
 * Computes a window. While all rows fit in memory they stay there and keep their order. Otherwise
 * they go to an exchange, cut by the columns that make partitions, and one part after the other is
 * computed. Rows of which one partition does not fit, and windows that have no partitions, are
 * sorted on disk and gone through with a few frames in memory.
 */
final class WindowSink implements Holding {
  private static final int PARTS = 32;
  private static final int MOST_LEVELS = 6;

  /** Rows side by side as they are read, in their order, and what comes of them. */
  private static final int COPIES = 3;

  private final WholeSpec spec;
  private final WindowStep step;
  private final StepTally tally;
  private final ExecutionContext context;
  private final List<Type> types;
  private final MemoryPool.Reservation reservation;
  private final List<Batch> batches = new ArrayList<>();
  private long bytes;
  private long rows;
  private Spill spill;
  private volatile boolean spilled;
  private List<Column> result = List.of();

  WindowSink(WholeSpec spec, WindowStep step, StepTally tally, ExecutionContext context) {
    this.spec = spec;
    this.step = step;
    this.tally = tally;
    this.context = context;
    this.types = spec.input().types();
    this.reservation = context.memory().reservation(tally, spec.purpose());
  }

  /** What takes rows that memory does not. */
  private interface Spill extends AutoCloseable {
    BatchConsumer consumer(Worker worker);

    void finish();

    ScanSource source();

    @Override
    void close();
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    BatchConsumer[] own = new BatchConsumer[1];
    return batch -> {
      if (!spilled && hold(batch.kept(), worker)) {
        return;
      }
      if (own[0] == null) {
        own[0] = spill.consumer(worker);
      }
      own[0].accept(batch);
    };
  }

  /**
   * @return false when rows go elsewhere
   */
  private synchronized boolean hold(Batch batch, Worker worker) {
    if (spilled) {
      return false;
    }
    long more = bytes + batch.sizeBytes();
    if (!reservation.tryShare(needed(more, rows + batch.rowCount()))) {
      spill = step.partition().length == 0 ? new Sorted() : new Parted();
      BatchConsumer first = spill.consumer(worker);
      batches.forEach(first::accept);
      batches.clear();
      reservation.resize(0);
      spilled = true;
      return false;
    }
    bytes = more;
    rows += batch.rowCount();
    batches.add(batch);
    return true;
  }

  private long needed(long bytes, long rows) {
    return COPIES * bytes + (WindowRows.Held.BYTES_A_ROW + 8L * step.calls().size()) * rows;
  }

  @Override
  public void finish() {
    if (spilled) {
      spill.finish();
      return;
    }
    Batch all = together(batches);
    batches.clear();
    result = computed(all);
    reservation.resize(result.stream().mapToLong(Column::sizeBytes).sum());
  }

  private Batch together(List<Batch> some) {
    Batch[] out = new Batch[1];
    TextRoom.accounted(() -> out[0] = InputOrder.together(types, some, context));
    return out[0];
  }

  /** The columns, and behind them those of the calls. */
  private List<Column> computed(Batch all) {
    List<Column> out = new ArrayList<>(all.columns());
    if (all.rowCount() == 0) {
      step.calls().forEach(c -> out.add(ColumnBuilder.of(c.type()).build()));
      return out;
    }
    WindowRows.Held rows = new WindowRows.Held(all.columns(), step, context);
    List<WindowRows.Held.Portion> portions = rows.portions();
    List<List<List<Column>>> blocks = new ArrayList<>();
    portions.forEach(p -> blocks.add(List.of()));
    try (MemoryPool.Reservation claim = context.memory().reservation(tally, spec.purpose())) {
      // Those that compute here wait for no one: they are parts of one piece of work.
      WindowMemory memory = new WindowMemory(claim, new Turns());
      Parallel.forEach(
          IntStream.range(0, portions.size()).boxed().toList(),
          context,
          p -> blocks.set(p, blocks(rows, portions.get(p), memory)));
      int[] places = rows.places();
      for (int call = 0; call < step.calls().size(); call++) {
        int c = call;
        List<Column> parts =
            blocks.stream().flatMap(List::stream).map(columns -> columns.get(c)).toList();
        Column sorted = ColumnBuilder.concat(step.calls().get(c).type(), parts);
        out.add(sorted.gather(places, places.length));
      }
    }
    return out;
  }

  private List<List<Column>> blocks(
      WindowRows.Held rows, WindowRows.Held.Portion portion, WindowMemory memory) {
    WindowBlock block =
        new WindowBlock(step, rows, portion.from(), Batch.TARGET_ROWS, memory, context.cancel());
    List<List<Column>> out = new ArrayList<>();
    for (int at = portion.from(); at < portion.to(); at += Batch.TARGET_ROWS) {
      out.add(block.next(Math.min(Batch.TARGET_ROWS, portion.to() - at)));
    }
    return out;
  }

  private Cutter cutter(Exchange to, int level) {
    return new Cutter(to, types, step.partition(), level);
  }

  private Exchange exchange() {
    return new Exchange(PARTS, types, context, tally, spec.purpose());
  }

  private SortSink sorter() {
    return new SortSink(
        new SortSpec(spec.step(), step.wholeOrder(), 0, -1, spec.input()), true, tally, context);
  }

  /** Goes through sorted rows, frame by frame; rows come with their places. */
  private void through(Exchange run, Turns turns, BatchConsumer out) {
    try (MemoryPool.Reservation claim = context.memory().reservation(tally, spec.purpose())) {
      int frames = run.frames(0);
      WindowMemory memory = new WindowMemory(claim, turns);
      WindowRows.Run rows = new WindowRows.Run(run, step, context.cancel());
      WindowBlock block =
          new WindowBlock(step, rows, 0, SortSink.RUN_FRAME_ROWS, memory, context.cancel());
      memory.add(rows.mostBytes());
      for (int f = 0; f < frames; f++) {
        Batch frame = rows.frame(f);
        List<Column> columns = new ArrayList<>(frame.columns());
        columns.addAll(block.next(frame.rowCount()));
        out.accept(frame.withColumns(columns));
      }
    }
  }

  /** All rows as one run. */
  private final class Sorted implements Spill {
    private final SortSink sink = sorter();
    private Exchange run;

    @Override
    public BatchConsumer consumer(Worker worker) {
      return sink.consumer(worker);
    }

    @Override
    public void finish() {
      sink.finish();
      run = sink.run();
    }

    @Override
    public ScanSource source() {
      Turns turns = new Turns();
      return run.source(turns, (part, out) -> through(run, turns, out));
    }

    @Override
    public void close() {
      sink.release();
      if (run != null) {
        run.close();
      }
    }
  }

  /** Rows cut by partition. */
  private final class Parted implements Spill {
    private final Exchange parts = exchange();
    private final List<Cutter> cutters = new ArrayList<>();
    private final Turns turns = new Turns();

    @Override
    public synchronized BatchConsumer consumer(Worker worker) {
      Cutter cutter = cutter(parts, 0);
      cutters.add(cutter);
      return cutter::accept;
    }

    @Override
    public void finish() {
      cutters.forEach(Cutter::finish);
      cutters.clear();
    }

    @Override
    public ScanSource source() {
      return parts.source(turns, (p, out) -> read(parts, p, 1, out));
    }

    private void read(Exchange from, int part, int level, BatchConsumer out) {
      if (from.rows(part) == 0) {
        return;
      }
      try (MemoryPool.Reservation claim = context.memory().reservation(tally, spec.purpose())) {
        if (claim.tryShare(needed(from.rowBytes(part), from.rows(part)))) {
          List<Batch> rows = new ArrayList<>();
          from.read(part, rows::add);
          Batch all = together(rows);
          rows.clear();
          Batch made = all.withColumns(computed(all));
          for (int at = 0; at < made.rowCount(); at += Batch.TARGET_ROWS) {
            int to = Math.min(made.rowCount(), at + Batch.TARGET_ROWS);
            out.accept(made.gather(IntStream.range(at, to).toArray(), to - at));
          }
          return;
        }
      }
      if (level < MOST_LEVELS) {
        try (Exchange further = exchange()) {
          Cutter cutter = cutter(further, level);
          from.read(part, cutter::accept);
          cutter.finish();
          if (IntStream.range(0, PARTS).allMatch(p -> further.rows(p) < from.rows(part))) {
            for (int p = 0; p < PARTS; p++) {
              read(further, p, level + 1, out);
            }
            return;
          }
        }
      }
      // One partition, or as good as one.
      turns.alone(() -> readSorted(from, part, out));
    }

    private void readSorted(Exchange from, int part, BatchConsumer out) {
      SortSink sink = sorter();
      try {
        from.read(part, sink.consumer(new Worker(0, context))::accept);
        sink.finish();
        try (Exchange run = sink.run()) {
          through(run, turns, out);
        }
      } finally {
        sink.release();
      }
    }

    @Override
    public void close() {
      parts.close();
    }
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    return spilled ? spill.source() : BatchStore.source(() -> result);
  }

  @Override
  public void release() {
    batches.clear();
    result = List.of();
    reservation.close();
    if (spill != null) {
      spill.close();
    }
  }
}

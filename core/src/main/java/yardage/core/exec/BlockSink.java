package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.plan.SortKey;
import yardage.core.plan.SortSpec;
import yardage.core.plan.WholeSpec;

/**
 * Gives a {@link BlockStep} its rows: all at once where they fit in memory. Otherwise they are cut
 * by the hash of their blocks into parts that are given one after the other; where each number
 * first came is sorted, and the rows get the numbers that they would have had together when they
 * are read.
 */
final class BlockSink implements Holding {
  private static final int PARTS = 32;
  private static final int MOST_LEVELS = 6;

  /** Where a number first came, and in which part. */
  private static final Schema FIRSTS =
      Schema.of(
          new Schema.Field("input", Type.INT),
          new Schema.Field("sequence", Type.BIGINT),
          new Schema.Field("row", Type.INT),
          new Schema.Field("part", Type.INT));

  private final WholeSpec spec;
  private final BlockStep step;
  private final StepTally tally;
  private final ExecutionContext context;
  private final List<Type> types;

  /** The column that has the numbers. */
  private final int numbered;

  private final MemoryPool.Reservation reservation;
  private final List<Batch> batches = new ArrayList<>();
  private final List<Cutter> cutters = new ArrayList<>();
  private final Turns turns = new Turns();
  private long bytes;
  private List<Column> result = List.of();

  /** Rows by their blocks, once memory does not take them. */
  private Exchange spilled;

  /** Rows as the step gave them, numbered within their part. */
  private Exchange given;

  /** For each part, the numbers among all rows in the order of those within the part. */
  private Exchange numbers;

  BlockSink(WholeSpec spec, BlockStep step, StepTally tally, ExecutionContext context) {
    this.spec = spec;
    this.step = step;
    this.tally = tally;
    this.context = context;
    this.types = spec.input().types();
    this.numbered = spec.input().size();
    this.reservation = context.memory().reservation(tally, spec.purpose());
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    Cutter[] own = new Cutter[1];
    return batch -> {
      if (hold(batch)) {
        return;
      }
      if (own[0] == null) {
        own[0] = cutter();
      }
      own[0].accept(batch);
    };
  }

  private synchronized boolean hold(Batch batch) {
    if (spilled != null) {
      return false;
    }
    Batch kept = batch.kept();
    long now = bytes + kept.sizeBytes();
    if (!isCut()) {
      reservation.resize(now);
    } else if (!reservation.tryShare(now)) {
      spill();
      return false;
    }
    bytes = now;
    batches.add(kept);
    return true;
  }

  private boolean isCut() {
    return step.blocks().length > 0;
  }

  private void spill() {
    spilled = exchange();
    Cutter cutter = cutter();
    batches.forEach(cutter::accept);
    batches.clear();
    reservation.resize(0);
  }

  private Exchange exchange() {
    return new Exchange(PARTS, types, context, tally, spec.purpose());
  }

  private synchronized Cutter cutter() {
    Cutter cutter = new Cutter(spilled, types, step.blocks(), 0);
    cutters.add(cutter);
    return cutter;
  }

  @Override
  public void finish() {
    if (spilled == null && isCut() && !reservation.tryMost(needed(batches))) {
      spill();
    }
    if (spilled == null) {
      reservation.resize(needed(batches));
      result = applied(batches).columns();
      reservation.resize(result.stream().mapToLong(Column::sizeBytes).sum());
      return;
    }
    cutters.forEach(Cutter::finish);
    cutters.clear();
    applyByParts();
  }

  /** The rows once more, side by side, and what the step takes for them. */
  private long needed(List<Batch> rows) {
    return rows.stream().mapToLong(this::needed).sum();
  }

  private long needed(Batch rows) {
    return 2 * rows.sizeBytes() + step.bytesFor(rows);
  }

  private Batch applied(List<Batch> rows) {
    Batch[] all = new Batch[1];
    TextRoom.accounted(() -> all[0] = InputOrder.together(types, rows, context));
    rows.clear();
    return all[0].withColumns(step.apply(all[0].columns(), context));
  }

  private void applyByParts() {
    List<SortKey> byPlace =
        IntStream.range(0, FIRSTS.size() - 1).mapToObj(c -> SortKey.of(c, false)).toList();
    given = new Exchange(0, spec.schema().types(), context, tally, spec.purpose());
    SortSink firsts =
        new SortSink(new SortSpec(spec.step(), byPlace, 0, -1, FIRSTS), tally, context);
    try {
      BatchConsumer found = firsts.consumer(new Worker(0, context));
      for (int p = 0; p < spilled.parts(); p++) {
        applyPart(spilled, p, 1, Long.MAX_VALUE, found);
      }
      spilled.close();
      firsts.finish();
      number(firsts.source());
    } finally {
      firsts.release();
    }
  }

  /**
   * @param level how often the rows were cut
   * @param before how many rows there were before the last cut
   */
  private void applyPart(Exchange from, int part, int level, long before, BatchConsumer found) {
    if (from.rows(part) == 0) {
      return;
    }
    List<Batch> rows = new ArrayList<>();
    long needed = 0;
    for (int f = 0; f < from.frames(part); f++) {
      context.cancel().check();
      Batch frame = from.frame(part, f);
      needed += needed(frame);
      if (!reservation.tryMost(needed)) {
        if (level <= MOST_LEVELS && from.rows(part) < before) {
          rows.clear();
          reservation.resize(0);
          cutAgain(from, part, level, found);
          return;
        }
        reservation.resize(needed);
      }
      rows.add(frame);
    }
    give(applied(rows), found);
    reservation.resize(0);
  }

  private void cutAgain(Exchange from, int part, int level, BatchConsumer found) {
    try (Exchange further = exchange()) {
      Cutter cutter = new Cutter(further, types, step.blocks(), level);
      from.read(part, cutter::accept);
      cutter.finish();
      for (int p = 0; p < further.parts(); p++) {
        applyPart(further, p, level + 1, from.rows(part), found);
      }
    }
  }

  private void give(Batch all, BatchConsumer found) {
    int part = given.addPart();
    int count = all.rowCount();
    given.add(part, all, IntStream.range(0, count).toArray(), 0, count);
    int[] first = firstRows(((IntColumn) all.column(numbered)).values(), count);
    Places places = all.placesOfRows();
    for (int at = 0; at < first.length; at += Batch.TARGET_ROWS) {
      int[] some = Arrays.copyOfRange(first, at, Math.min(first.length, at + Batch.TARGET_ROWS));
      int n = some.length;
      found.accept(
          new Batch(
              List.of(
                  ints(IntStream.of(some).map(r -> places.inputs()[r]).toArray()),
                  new LongColumn(
                      Type.BIGINT,
                      IntStream.of(some).mapToLong(r -> places.sequences()[r]).toArray(),
                      null,
                      n),
                  ints(IntStream.of(some).map(r -> places.rows()[r]).toArray()),
                  ints(IntStream.generate(() -> part).limit(n).toArray())),
              n,
              at / Batch.TARGET_ROWS));
    }
  }

  private static IntColumn ints(int[] values) {
    return new IntColumn(Type.INT, values, null, values.length);
  }

  /** The rows in which numbers come for the first time: each is one more than those before it. */
  private static int[] firstRows(int[] number, int count) {
    int[] out = new int[count];
    int n = 0;
    for (int r = 0; r < count; r++) {
      if (number[r] == n + 1) {
        out[n++] = r;
      }
    }
    return Arrays.copyOf(out, n);
  }

  /** Counts where numbers first came, in their order. */
  private void number(ScanSource firsts) {
    numbers = new Exchange(given.parts(), List.of(Type.INT), context, tally, spec.purpose());
    Numbers waiting = new Numbers();
    Worker worker = new Worker(0, context);
    for (ScanSource.Split split : firsts.splits()) {
      split.read(
          worker,
          batch -> {
            context.cancel().check();
            int[] parts = ((IntColumn) batch.column(FIRSTS.size() - 1)).values();
            for (int r = 0; r < batch.rowCount(); r++) {
              waiting.add(parts[r]);
            }
          });
    }
    waiting.flush();
  }

  /** Numbers on their way to their parts. */
  private final class Numbers {
    private static final int MOST = 1 << 16;
    private final int[][] ofPart = new int[given.parts()][16];
    private final int[] counts = new int[given.parts()];
    private int waiting;
    private int last;

    void add(int part) {
      if (counts[part] == ofPart[part].length) {
        ofPart[part] = Arrays.copyOf(ofPart[part], 2 * counts[part]);
      }
      last = Math.addExact(last, 1);
      ofPart[part][counts[part]++] = last;
      if (++waiting == MOST) {
        flush();
      }
    }

    void flush() {
      for (int p = 0; p < counts.length; p++) {
        for (int at = 0; at < counts[p]; at += Batch.TARGET_ROWS) {
          int to = Math.min(counts[p], at + Batch.TARGET_ROWS);
          numbers.add(
              p, new Batch(List.of(ints(Arrays.copyOfRange(ofPart[p], at, to))), to - at, 0));
        }
        counts[p] = 0;
      }
      waiting = 0;
    }
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    return given == null
        ? BatchStore.source(() -> result)
        : given.source(turns, this::readNumbered);
  }

  private void readNumbered(int part, BatchConsumer out) {
    try (MemoryPool.Reservation claim = context.memory().reservation(tally, "numbers of groups")) {
      turns.insist(claim, Integer.BYTES * numbers.rows(part));
      int[] among = new int[Math.toIntExact(numbers.rows(part))];
      int[] count = {0};
      numbers.read(
          part,
          batch -> {
            int[] some = ((IntColumn) batch.column(0)).values();
            System.arraycopy(some, 0, among, count[0], batch.rowCount());
            count[0] += batch.rowCount();
          });
      given.read(
          part,
          batch -> {
            List<Column> columns = new ArrayList<>(batch.columns());
            int[] within = ((IntColumn) columns.get(numbered)).values();
            columns.set(
                numbered,
                ints(
                    IntStream.range(0, batch.rowCount()).map(r -> among[within[r] - 1]).toArray()));
            out.accept(batch.withColumns(columns));
          });
    }
  }

  @Override
  public void release() {
    batches.clear();
    cutters.clear();
    result = List.of();
    reservation.close();
    for (Exchange exchange : Arrays.asList(spilled, given, numbers)) {
      if (exchange != null) {
        exchange.close();
      }
    }
  }
}

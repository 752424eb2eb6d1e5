package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.plan.DedupeSpec;

/**
 * Keeps one row per key. Rows are stored as they come, with the sequence of their batch; a key
 * remembers the place of its best row so far. Which row wins does not depend on how many workers
 * ran.
 *
 * <p>Each worker looks for winners among its own rows, but gives that up where nearly every key is
 * new, since it would all be done again. What the workers have left is cut by the keys' hashes into
 * parts that meet side by side.
 *
 * <p>When rows find no more memory, a worker hands those that may still win to an exchange, cut in
 * the same way, and begins again. The rows of each part then meet when they are read.
 */
final class DeduplicateSink implements Holding {
  /** After so many rows a worker decides whether looking for winners alone pays. */
  private static final int TRIAL_ROWS = 1 << 16;

  /** Not when more than this share of the keys was new. */
  private static final double MOSTLY_NEW = 0.7;

  /**
   * As many rows meet in a part. Its keys then stay in the processor's own cache: of ten million
   * rows, comparing keys took 44 % of the time in eight parts and 5 % in 150.
   */
  private static final int PART_ROWS = 1 << 16;

  /** More parts make slices of a batch that are too thin to be worth their overhead. */
  private static final int MOST_PARTS = 1 << 10;

  /** So many rows are cut into parts at once: a column of them fits the cache too. */
  private static final int SLICED_ROWS = 1 << 16;

  /** So many rows are looked up at once. */
  private static final int LOOK_UP_ROWS = 1 << 12;

  private static final int SPILLED_PARTS = 32;
  private static final int MOST_LEVELS = 6;

  private final DedupeSpec spec;
  private final StepTally tally;
  private final ExecutionContext context;
  private final RowOrder order;
  private final boolean firstWins;
  private final List<Winners> workers = new ArrayList<>();
  private final MemoryPool.Reservation merging;
  private final List<Type> types;
  private final Turns turns = new Turns();
  private Exchange spilled;
  private List<Column> result;

  DeduplicateSink(DedupeSpec spec, StepTally tally, ExecutionContext context) {
    this.spec = spec;
    this.tally = tally;
    this.context = context;
    this.order = new RowOrder(spec.order());
    this.firstWins = spec.order().isEmpty() && !spec.keepLast();
    this.types = spec.schema().types();
    this.merging = context.memory().reservation(tally, "keys to deduplicate by");
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    Winners winners = new Winners();
    workers.add(winners);
    return winners;
  }

  private Exchange exchange() {
    return new Exchange(SPILLED_PARTS, types, context, tally, "rows to deduplicate");
  }

  private synchronized Exchange spilled() {
    if (spilled == null) {
      spilled = exchange();
    }
    return spilled;
  }

  /** What finishing in memory takes: the rows once more, and their keys twice. */
  private boolean hasRoomToFinish() {
    long rows = 0;
    long bytes = 0;
    for (Winners part : workers) {
      rows += part.passing ? part.rowsSeen : part.known;
      bytes += part.storedBytes;
    }
    boolean room = merging.tryMost(2 * bytes + 48 * rows);
    merging.resize(0);
    return room;
  }

  @Override
  public void finish() {
    if (spilled == null && !hasRoomToFinish()) {
      spilled();
    }
    if (spilled != null) {
      workers.forEach(w -> w.spill(spilled, 0));
      workers.clear();
      return;
    }
    List<Batch> left = new ArrayList<>();
    for (Winners part : workers) {
      for (int b = 0; b < part.batches.size(); b++) {
        context.cancel().check();
        Batch kept = part.keptOf(b);
        if (kept.rowCount() > 0) {
          left.add(kept);
        }
      }
      part.forget();
    }
    left.sort(Batch.IN_ORDER);
    long rows = left.stream().mapToLong(Batch::rowCount).sum();
    if (workers.size() > 1 || workers.stream().anyMatch(w -> w.passing)) {
      left = met(left, (int) Math.min(MOST_PARTS, 1 + rows / PART_ROWS));
      tally.merged.add(rows - left.stream().mapToLong(Batch::rowCount).sum());
    }
    result =
        left.stream().anyMatch(x -> x.places().isPresent())
            ? InputOrder.together(types, left, context).columns()
            : InputOrder.sideBySide(types, left, context);
    merging.resize(result.stream().mapToLong(Column::sizeBytes).sum());
    workers.forEach(w -> w.reservation.close());
    // Their tables of keys go with them.
    workers.clear();
  }

  /** Batches next to each other that have enough rows together to be cut into parts. */
  private static List<int[]> ranges(List<Batch> left) {
    List<int[]> out = new ArrayList<>();
    int from = 0;
    int rows = 0;
    for (int b = 0; b < left.size(); b++) {
      rows += left.get(b).rowCount();
      if (rows >= SLICED_ROWS || b + 1 == left.size()) {
        out.add(new int[] {from, b + 1});
        from = b + 1;
        rows = 0;
      }
    }
    return out;
  }

  /** The winners among what all workers have left, in order. */
  private List<Batch> met(List<Batch> left, int parts) {
    List<int[]> ranges = ranges(left);
    Slices[] slices = new Slices[ranges.size()];
    Parallel.forEach(
        IntStream.range(0, slices.length).boxed().toList(),
        context,
        i -> {
          TextRoom.accounted(
              () -> slices[i] = slices(left, ranges.get(i)[0], ranges.get(i)[1], parts));
          merging.grow(slices[i].sizeBytes());
        });
    boolean[][] wins = new boolean[left.size()][];
    for (int b = 0; b < wins.length; b++) {
      wins[b] = new boolean[left.get(b).rowCount()];
    }
    Parallel.forEach(
        IntStream.range(0, parts).boxed().toList(),
        context,
        part -> {
          Meeting meeting = new Meeting(left);
          context.cancel().check();
          TextRoom.accounted(
              () -> {
                for (Slices some : slices) {
                  meeting.add(some, part);
                }
                meeting.mark(wins);
              });
        });
    List<Batch> out = new ArrayList<>();
    for (int b = 0; b < wins.length; b++) {
      boolean[] w = wins[b];
      int[] kept = new int[w.length];
      int n = 0;
      for (int i = 0; i < w.length; i++) {
        kept[n] = i;
        n += w[i] ? 1 : 0;
      }
      if (n > 0) {
        out.add(n == w.length ? left.get(b) : left.get(b).gather(kept, n));
      }
    }
    return out;
  }

  /**
   * The rows of some batches by the part that they meet in.
   *
   * @param first the first batch
   * @param keys of the rows, so that a part reads its own side by side: reading each where it stood
   *     took a third of the time
   * @param places in order within each part: the batch, counted from the first, above its row
   * @param start where each part begins, and the end
   */
  private record Slices(int first, Column[] keys, int[] places, int[] start) {
    static final int BATCH_SHIFT = 20;
    static final int ROW_MASK = (1 << BATCH_SHIFT) - 1;

    long sizeBytes() {
      return Arrays.stream(keys).mapToLong(Column::sizeBytes).sum()
          + 4L * (places.length + start.length);
    }
  }

  private Slices slices(List<Batch> left, int from, int to, int parts) {
    List<Batch> some = left.subList(from, to);
    int count = some.stream().mapToInt(Batch::rowCount).sum();
    Column[] keys = new Column[spec.keys().length];
    for (int k = 0; k < keys.length; k++) {
      int at = spec.keys()[k];
      keys[k] =
          ColumnBuilder.concat(
              spec.schema().field(at).type(), some.stream().map(x -> x.column(at)).toList());
    }
    int[] partOf = new int[count];
    Hashing.hash(keys, count, partOf);
    int[] start = new int[parts + 1];
    for (int i = 0; i < count; i++) {
      // The upper bits: the key table takes the lower ones.
      partOf[i] = (int) ((partOf[i] & 0xFFFFFFFFL) * parts >>> 32);
      start[partOf[i] + 1]++;
    }
    for (int p = 0; p < parts; p++) {
      start[p + 1] += start[p];
    }
    int[] at = start.clone();
    int[] rows = new int[count];
    int[] places = new int[count];
    int i = 0;
    for (int b = 0; b < some.size(); b++) {
      for (int r = 0; r < some.get(b).rowCount(); r++) {
        int place = at[partOf[i]]++;
        rows[place] = i++;
        places[place] = b << Slices.BATCH_SHIFT | r;
      }
    }
    for (int k = 0; k < keys.length; k++) {
      keys[k] = keys[k].gather(rows, count);
    }
    return new Slices(from, keys, places, start);
  }

  private Column[] keys(Batch batch) {
    return Arrays.stream(spec.keys()).mapToObj(batch::column).toArray(Column[]::new);
  }

  private KeyTable keyTable() {
    return new KeyTable(
        Arrays.stream(spec.keys())
            .mapToObj(k -> spec.schema().field(k).type())
            .toArray(Type[]::new));
  }

  private boolean beats(Batch a, int row, Batch b, int otherRow) {
    int c = order.compare(a.columns(), row, b.columns(), otherRow);
    if (c == 0) {
      c = a.comparePlace(row, b, otherRow);
    }
    return spec.keepLast() ? c >= 0 : c < 0;
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

  /**
   * Gives the winners among the rows of one part.
   *
   * @param level how often they were cut
   */
  private void readPart(Exchange from, int part, int level, BatchConsumer out) {
    if (from.rows(part) == 0) {
      return;
    }
    Exchange further = null;
    Winners winners = new Winners();
    try {
      for (int f = 0; f < from.frames(part); f++) {
        context.cancel().check();
        winners.take(from.frame(part, f));
        if (!winners.fits()) {
          winners.keepWinnersOnly();
          if (!winners.fits()) {
            if (winners.known <= 1 || level >= MOST_LEVELS) {
              turns.insist(winners.reservation, winners.sizeBytes());
            } else {
              further = further == null ? exchange() : further;
              winners.spill(further, level);
            }
          }
        }
      }
      if (further == null) {
        for (int b = 0; b < winners.batches.size(); b++) {
          Batch kept = winners.keptOf(b);
          if (kept.rowCount() > 0) {
            out.accept(kept);
          }
        }
        return;
      }
      winners.spill(further, level);
      for (int p = 0; p < SPILLED_PARTS; p++) {
        readPart(further, p, level + 1, out);
      }
    } finally {
      winners.reservation.close();
      if (further != null) {
        further.close();
      }
    }
  }

  @Override
  public void release() {
    workers.forEach(w -> w.reservation.close());
    if (spilled != null) {
      spilled.close();
    }
    merging.close();
    result = List.of();
  }

  /** For each key, the batch and row of its best row so far. */
  private abstract class Best {
    KeyTable table = keyTable();
    int[] bestBatch = new int[1024];
    int[] bestRow = new int[1024];
    int known;

    /** Makes room for keys that are new; returns how many are. */
    int grow() {
      int count = table.count();
      if (count > bestBatch.length) {
        bestBatch = Arrays.copyOf(bestBatch, Math.max(count, bestBatch.length * 2));
        bestRow = Arrays.copyOf(bestRow, bestBatch.length);
      }
      Arrays.fill(bestBatch, known, count, -1);
      int added = count - known;
      known = count;
      return added;
    }

    void offer(List<Batch> batches, int key, int b, int row) {
      if (bestBatch[key] < 0
          || beats(batches.get(b), row, batches.get(bestBatch[key]), bestRow[key])) {
        bestBatch[key] = b;
        bestRow[key] = row;
      }
    }
  }

  /** The rows of one part. */
  private final class Meeting extends Best {
    private final List<Batch> batches;
    private final ColumnBuilder[] waiting = new ColumnBuilder[spec.keys().length];
    private final int[] batchOf = new int[LOOK_UP_ROWS];
    private final int[] rowOf = new int[LOOK_UP_ROWS];
    private final int[] numbers = new int[LOOK_UP_ROWS];
    private int count;
    private long reserved;

    Meeting(List<Batch> batches) {
      this.batches = batches;
      // What workers have left is mostly distinct.
      table.expect(Math.min(batches.size() * LOOK_UP_ROWS, PART_ROWS / 2));
      begin();
    }

    private void begin() {
      for (int k = 0; k < waiting.length; k++) {
        waiting[k] = ColumnBuilder.of(spec.schema().field(spec.keys()[k]).type());
        waiting[k].reserve(LOOK_UP_ROWS);
      }
      count = 0;
    }

    void add(Slices slices, int part) {
      int from = slices.start()[part];
      int to = slices.start()[part + 1];
      while (from < to) {
        int end = Math.min(to, from + LOOK_UP_ROWS - count);
        for (int k = 0; k < waiting.length; k++) {
          waiting[k].appendRange(slices.keys()[k], from, end);
        }
        for (int i = from; i < end; i++) {
          int place = slices.places()[i];
          batchOf[count] = slices.first() + (place >>> Slices.BATCH_SHIFT);
          rowOf[count++] = place & Slices.ROW_MASK;
        }
        from = end;
        if (count == LOOK_UP_ROWS) {
          lookUp();
        }
      }
    }

    private void lookUp() {
      Column[] keys = Arrays.stream(waiting).map(ColumnBuilder::build).toArray(Column[]::new);
      table.numberOf(keys, count, numbers);
      int old = known;
      grow();
      if (firstWins) {
        // Batches come in order, so only keys that are new have a winner here: no need to look
        // the others up all over memory.
        for (int i = 0; i < count; i++) {
          if (numbers[i] >= old && bestBatch[numbers[i]] < 0) {
            bestBatch[numbers[i]] = batchOf[i];
            bestRow[numbers[i]] = rowOf[i];
          }
        }
      } else {
        for (int i = 0; i < count; i++) {
          offer(batches, numbers[i], batchOf[i], rowOf[i]);
        }
      }
      begin();
      long now = table.sizeBytes() + 8L * bestBatch.length;
      if (now > reserved) {
        merging.grow(now - reserved);
        reserved = now;
      }
    }

    void mark(boolean[][] wins) {
      if (count > 0) {
        lookUp();
      }
      for (int key = 0; key < known; key++) {
        wins[bestBatch[key]][bestRow[key]] = true;
      }
      merging.grow(-reserved);
    }
  }

  /** A worker's batches, and the winners among its rows. */
  private final class Winners extends Best implements BatchConsumer {
    private final List<Batch> batches = new ArrayList<>();
    private final MemoryPool.Reservation reservation =
        context.memory().reservation(tally, "rows to deduplicate");
    private int[] numbers = new int[Batch.TARGET_ROWS];
    private long storedBytes;
    private long rowsSeen;

    /** Whether rows are stored without looking, from batch {@link #passingFrom} on. */
    private boolean passing;

    private int passingFrom;

    @Override
    public void accept(Batch shared) {
      Batch batch = shared.kept();
      if (passing) {
        batches.add(batch);
        storedBytes += batch.sizeBytes();
        rowsSeen += batch.rowCount();
      } else {
        take(batch);
        if (rowsSeen >= TRIAL_ROWS && known > rowsSeen * MOSTLY_NEW) {
          passing = true;
          passingFrom = batches.size();
        }
      }
      if (!fits()) {
        spill(spilled(), 0);
      }
    }

    /** Looks for winners among some more rows. */
    void take(Batch batch) {
      int rows = batch.rowCount();
      batches.add(batch);
      storedBytes += batch.sizeBytes();
      if (numbers.length < rows) {
        numbers = new int[rows];
      }
      TextRoom.accounted(() -> table.numberOf(keys(batch), rows, numbers));
      tally.merged.add(rows - grow());
      for (int i = 0; i < rows; i++) {
        offer(batches, numbers[i], batches.size() - 1, i);
      }
      rowsSeen += rows;
    }

    private long sizeBytes() {
      return storedBytes + table.sizeBytes() + 8L * bestBatch.length;
    }

    /** Claims what is held now, if there is so much to share. */
    boolean fits() {
      return reservation.tryShare(sizeBytes());
    }

    /** Lets go of the rows that have lost. */
    void keepWinnersOnly() {
      List<Batch> kept = new ArrayList<>();
      for (int b = 0; b < batches.size(); b++) {
        kept.add(keptOf(b).kept());
      }
      batches.clear();
      storedBytes = 0;
      begin();
      for (Batch batch : kept) {
        if (batch.rowCount() > 0) {
          // Each of them has a key of its own: nothing is merged, and nothing counted.
          take(batch);
        }
      }
    }

    /** Hands the rows that may still win to an exchange, and begins again without any. */
    void spill(Exchange to, int level) {
      Cutter cutter = new Cutter(to, types, spec.keys(), level);
      for (int b = 0; b < batches.size(); b++) {
        context.cancel().check();
        Batch kept = keptOf(b);
        if (kept.rowCount() > 0) {
          cutter.accept(kept);
        }
      }
      cutter.finish();
      batches.clear();
      storedBytes = 0;
      begin();
      reservation.resize(0);
    }

    private void begin() {
      table = keyTable();
      known = 0;
      passing = false;
      rowsSeen = 0;
      winners = null;
    }

    /** The winners among the rows of batch {@code b}. */
    Batch keptOf(int b) {
      if (passing && b >= passingFrom) {
        return batches.get(b);
      }
      if (b == 0) {
        rowsByBatch();
      }
      Batch batch = batches.get(b);
      int[] rows = Arrays.copyOfRange(winners, startOf[b], startOf[b + 1]);
      Arrays.sort(rows);
      return batch.gather(rows, rows.length);
    }

    /** What was handed on is not kept here; its bytes stay reserved until the end. */
    void forget() {
      batches.clear();
      winners = null;
    }

    private int[] startOf;
    private int[] winners;

    /** Sorts the winners' rows by their batch, by counting. */
    private void rowsByBatch() {
      startOf = new int[batches.size() + 1];
      for (int key = 0; key < known; key++) {
        startOf[bestBatch[key] + 1]++;
      }
      for (int b = 0; b < batches.size(); b++) {
        startOf[b + 1] += startOf[b];
      }
      int[] at = startOf.clone();
      winners = new int[known];
      for (int key = 0; key < known; key++) {
        winners[at[bestBatch[key]]++] = bestRow[key];
      }
    }
  }
}

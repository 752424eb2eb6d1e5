package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.expr.Literal;
import yardage.core.plan.JoinKind;
import yardage.core.plan.JoinSpec;
import yardage.core.plan.KeyRange;

/**
 * The hash join. As a sink it gathers the right side; {@link #probe} then gives the operator that
 * passes the left side by, and {@link #source} what comes after that: the right rows that a right
 * or full join has left over, or that a join of right rows alone is about.
 *
 * <p>When the right side finds no more memory, both sides are cut into parts by the hash of their
 * keys: the right one into an exchange, and the left one too when it passes by. The parts are
 * joined one by one in {@link #source}. A part that is still too large is cut again by other bits;
 * when that does not help, since many rows have one key, its right rows are taken in portions, each
 * passed by all left rows of the part.
 */
final class JoinSink implements Holding {
  private static final int PARTS = 32;
  private static final int MOST_LEVELS = 6;

  private final JoinSpec spec;
  private final StepTally tally;
  private final ExecutionContext context;
  private final List<Type> leftTypes;
  private final List<Type> rightTypes;
  private final boolean marks;
  private final List<Held> workers = new ArrayList<>();
  private final MemoryPool.Reservation reservation;
  private final Turns turns = new Turns();
  private final Map<Integer, Optional<KeyRange>> keyRanges = new ConcurrentHashMap<>();
  private JoinTable table;

  /** The sides in parts; there when the right one did not fit. */
  private volatile Exchange right;

  private Exchange left;
  private final List<Cutter> leftCutters = new ArrayList<>();

  JoinSink(JoinSpec spec, StepTally tally, ExecutionContext context) {
    this.spec = spec;
    this.tally = tally;
    this.context = context;
    this.leftTypes = spec.left().types();
    this.rightTypes = spec.right().types();
    this.marks = spec.kind().keepsRight() || spec.mainIsRight();
    this.reservation = context.memory().reservation(tally, "the join's look-up table");
  }

  private Exchange exchange(List<Type> types) {
    return new Exchange(PARTS, types, context, tally, "rows to join");
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    Held held = new Held();
    workers.add(held);
    return held;
  }

  private synchronized Exchange cut() {
    if (right == null) {
      right = exchange(rightTypes);
    }
    return right;
  }

  /** One worker's right rows. */
  private final class Held implements BatchConsumer {
    private final List<Batch> batches = new ArrayList<>();
    private final MemoryPool.Reservation reservation =
        context
            .memory()
            .reservation(
                tally,
                spec.mainIsRight()
                    ? "the main input, which the join holds"
                    : "the join's right side");
    private long bytes;
    private long rows;
    private Cutter cutter;

    @Override
    public void accept(Batch shared) {
      if (right == null) {
        Batch batch = shared.kept();
        if (reservation.tryShare(bytes + batch.sizeBytes())) {
          bytes += batch.sizeBytes();
          rows += batch.rowCount();
          batches.add(batch);
          return;
        }
        cut();
      }
      spill();
      cutter.accept(shared);
    }

    private void spill() {
      if (cutter == null) {
        cutter = new Cutter(right, rightTypes, spec.rightKeys(), 0);
      }
      for (Batch batch : batches) {
        context.cancel().check();
        cutter.accept(batch);
      }
      batches.clear();
      bytes = rows = 0;
      reservation.resize(0);
    }

    void finish() {
      spill();
      cutter.finish();
    }
  }

  @Override
  public void finish() {
    long bytes = workers.stream().mapToLong(w -> w.bytes).sum();
    long rows = workers.stream().mapToLong(w -> w.rows).sum();
    // Once more, side by side, and the keys a third time.
    if (right == null
        && (rows > Integer.MAX_VALUE - 64
            || !reservation.tryMost(bytes + JoinTable.neededBytes(rows, bytes)))) {
      reservation.resize(0);
      cut();
    }
    if (right != null) {
      workers.forEach(Held::finish);
      left = exchange(leftTypes);
      count(IntStream.range(0, PARTS).mapToLong(right::rows).sum());
      return;
    }
    List<Batch> all = new ArrayList<>();
    workers.forEach(w -> all.addAll(w.batches));
    table = table(all);
    count(rows);
    workers.forEach(w -> w.batches.clear());
    all.clear();
    table.shareTexts();
    long held = table.columns.stream().mapToLong(Column::sizeBytes).sum();
    workers.forEach(w -> w.reservation.close());
    reservation.resize(held + JoinTable.neededBytes(rows, keyBytes(table.columns)));
  }

  private void count(long rows) {
    if (!spec.mainIsRight()) {
      tally.absorbed.add(rows);
    }
  }

  private long keyBytes(List<Column> columns) {
    return Arrays.stream(spec.rightKeys()).mapToLong(k -> columns.get(k).sizeBytes()).sum();
  }

  private JoinTable table(List<Batch> batches) {
    JoinTable[] out = new JoinTable[1];
    TextRoom.accounted(() -> out[0] = tableOf(batches));
    return out[0];
  }

  private JoinTable tableOf(List<Batch> batches) {
    List<Column> columns = InputOrder.sideBySide(rightTypes, batches, context);
    int rows = batches.stream().mapToInt(Batch::rowCount).sum();
    return new JoinTable(columns, rows, spec.rightKeys(), marks, context.cancel());
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public void release() {
    workers.forEach(w -> w.reservation.close());
    workers.clear();
    reservation.close();
    table = null;
    keyRanges.clear();
    if (right != null) {
      right.close();
    }
    if (left != null) {
      left.close();
    }
  }

  JoinSpec spec() {
    return spec;
  }

  /**
   * The values of a key of the right rows, found once however many scans seek them; empty when the
   * join works by parts, or they are no whole numbers.
   */
  Optional<KeyRange> keyRange(int key) {
    return right == null
        ? keyRanges.computeIfAbsent(
            key, k -> RowConditions.range(table.columns.get(spec.rightKeys()[k])))
        : Optional.empty();
  }

  /**
   * What the left rows pass by; nothing comes out of it when the join works by parts.
   *
   * @param read what is read of the columns that come out, of which the others may hold anything;
   *     empty for all
   */
  RowPath probe(Optional<BitSet> read) {
    return (worker, next) ->
        right == null
            ? new JoinProbe(spec, tally, table, context, next, read)
            : leftCutter()::accept;
  }

  private JoinProbe probe(JoinTable of, BatchConsumer next) {
    return new JoinProbe(spec, tally, of, context, next, Optional.empty());
  }

  private synchronized Cutter leftCutter() {
    Cutter cutter = new Cutter(left, leftTypes, spec.leftKeys(), 0);
    leftCutters.add(cutter);
    return cutter;
  }

  /**
   * What comes after the left rows have passed by: right rows that nothing matched, and all rows of
   * a join that works by parts.
   */
  @Override
  public ScanSource source() {
    if (right == null && !marks) {
      return List::of;
    }
    if (right == null) {
      return BatchStore.source(() -> rest(table));
    }
    return new ScanSource() {
      @Override
      public List<Split> splits() {
        leftCutters.forEach(Cutter::finish);
        leftCutters.clear();
        return right.splits(turns, (p, out) -> joinPart(left, right, p, 1, out));
      }

      @Override
      public int inputs() {
        return left.inputs() + 1;
      }
    };
  }

  /**
   * The right rows that come out once all left ones have passed by: those that nothing matched,
   * behind nulls for the left ones, or right rows alone.
   */
  private List<Column> rest(JoinTable table) {
    int[] rows = table.rows(spec.kind() == JoinKind.RIGHT_SEMI);
    int count = rows.length;
    if (spec.mainIsRight()) {
      count = closeAccount(table, count);
    } else {
      tally.added.add(count);
    }
    List<Column> out = new ArrayList<>();
    if (spec.kind().givesLeft()) {
      for (Type type : leftTypes) {
        out.add(Literal.of(type, null).column(count));
      }
    }
    for (Column column : table.columns) {
      out.add(column.gather(rows, count));
    }
    return out;
  }

  /**
   * Books what only shows once all of the other input has passed by the main one.
   *
   * @param rows main rows that matched, or that did not, as the kind gives them
   * @return how many of them the join gives
   */
  private int closeAccount(JoinTable table, int rows) {
    int hits = spec.kind() == JoinKind.RIGHT_SEMI ? rows : table.rowCount - rows;
    int left = table.rowCount - hits;
    tally.matched.add(hits);
    return switch (spec.kind()) {
      case RIGHT_SEMI -> {
        tally.unmatched.add(left);
        yield hits;
      }
      case RIGHT_ANTI -> {
        tally.filtered.add(hits);
        yield left;
      }
      default -> {
        tally.multiplied.add(table.pairsGiven.sum() - hits);
        if (!spec.kind().keepsRight()) {
          tally.unmatched.add(left);
        }
        yield spec.kind().keepsRight() ? left : 0;
      }
    };
  }

  /**
   * Joins one part.
   *
   * @param level how often its rows were cut
   */
  private void joinPart(Exchange left, Exchange right, int part, int level, BatchConsumer out) {
    if (left.rows(part) == 0 && !marks) {
      return;
    }
    if (right.rows(part) == 0) {
      JoinProbe none = probe(table(List.of()), out);
      left.read(part, none);
      return;
    }
    try (MemoryPool.Reservation claim =
        context.memory().reservation(tally, "the join's look-up table")) {
      if (claim.tryShare(neededBytes(right, part))) {
        List<Batch> rows = new ArrayList<>();
        right.read(part, rows::add);
        JoinTable table = table(rows);
        rows.clear();
        left.read(part, probe(table, out));
        give(table, out);
        return;
      }
    }
    if (level < MOST_LEVELS) {
      try (Exchange moreLeft = exchange(leftTypes);
          Exchange moreRight = exchange(rightTypes)) {
        cutAgain(right, part, moreRight, spec.rightKeys(), rightTypes, level);
        if (largestShare(moreRight) < 1) {
          cutAgain(left, part, moreLeft, spec.leftKeys(), leftTypes, level);
          for (int p = 0; p < PARTS; p++) {
            joinPart(moreLeft, moreRight, p, level + 1, out);
          }
          return;
        }
      }
    }
    joinInPortions(left, right, part, out);
  }

  /** The rows as they are read and side by side, and the table. */
  private static long neededBytes(Exchange right, int part) {
    long bytes = right.rowBytes(part);
    return 2 * bytes + JoinTable.neededBytes(right.rows(part), bytes);
  }

  /** One when all rows have gone into one part: then they have one key, or as good as one. */
  private static double largestShare(Exchange cut) {
    long all = 0;
    long largest = 0;
    for (int p = 0; p < PARTS; p++) {
      all += cut.rows(p);
      largest = Math.max(largest, cut.rows(p));
    }
    return (double) largest / all;
  }

  private static void cutAgain(
      Exchange from, int part, Exchange to, int[] keys, List<Type> types, int level) {
    Cutter cutter = new Cutter(to, types, keys, level);
    from.read(part, cutter::accept);
    cutter.finish();
  }

  private void give(JoinTable table, BatchConsumer out) {
    if (!marks) {
      return;
    }
    List<Column> columns = rest(table);
    int rows = columns.get(0).size();
    for (int from = 0; from < rows; from += Batch.TARGET_ROWS) {
      Batch batch = BatchStore.slice(columns, from, Math.min(rows, from + Batch.TARGET_ROWS), from);
      // They come from no left row: behind all of these.
      int[] last = new int[batch.rowCount()];
      Arrays.fill(last, left.inputs());
      int[] numbers = IntStream.range(from, from + batch.rowCount()).toArray();
      out.accept(
          new Batch(
              batch.columns(),
              batch.rowCount(),
              new Places(last, new long[batch.rowCount()], numbers)));
    }
  }

  /** Takes as many right rows at once as there is memory for, and passes all left rows by them. */
  private void joinInPortions(Exchange left, Exchange right, int part, BatchConsumer out) {
    boolean[][] hits = new boolean[left.frames(part)][];
    long[] pairs = new long[hits.length];
    int at = 0;
    try (MemoryPool.Reservation marksOfLeft =
            context.memory().reservation(tally, "which rows have matched");
        MemoryPool.Reservation claim =
            context.memory().reservation(tally, "the join's look-up table")) {
      turns.insist(marksOfLeft, left.rows(part));
      while (at < right.frames(part)) {
        List<Batch> portion = new ArrayList<>();
        long bytes = 0;
        long rows = 0;
        while (at < right.frames(part)) {
          Batch frame = right.frame(part, at);
          long more = bytes + frame.sizeBytes();
          long needed = 2 * more + JoinTable.neededBytes(rows + frame.rowCount(), more);
          if (!claim.tryShare(needed)) {
            if (!portion.isEmpty()) {
              break;
            }
            turns.insist(claim, needed);
          }
          portion.add(frame);
          bytes = more;
          rows += frame.rowCount();
          at++;
        }
        JoinTable table = table(portion);
        portion.clear();
        JoinProbe probe = probe(table, out);
        for (int f = 0; f < hits.length; f++) {
          Batch batch = left.frame(part, f);
          hits[f] = hits[f] == null ? new boolean[batch.rowCount()] : hits[f];
          pairs[f] += probe.match(batch, hits[f]);
        }
        give(table, out);
        claim.resize(0);
      }
      JoinProbe closing = probe(table(List.of()), out);
      for (int f = 0; f < hits.length; f++) {
        Batch batch = left.frame(part, f);
        closing.close(batch, hits[f], pairs[f]);
      }
    }
  }
}

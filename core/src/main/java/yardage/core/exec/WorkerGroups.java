package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import java.util.TreeSet;
import java.util.function.Supplier;
import java.util.stream.LongStream;
import java.util.stream.Stream;
import yardage.core.column.*;
import yardage.core.plan.AggregateCall;

/**
 * One worker's groups. Few are held together. Many are cut into parts by the hashes of their keys,
 * and rows wait until there are enough of each part: what is known of its groups then stays in the
 * processor's own cache while they are added (Manegold, Boncz and Kersten, Optimizing Main-Memory
 * Join on Modern Hardware, IEEE TKDE 2002).
 */
final class WorkerGroups implements BatchConsumer {
  static final int PARTS = 128;

  /** As many as no longer fit that cache. */
  private static final int MANY = 1 << 16;

  private static final long MOST_WAITING_BYTES = 32L << 20;

  /** No more than this share of the memory of the run is for rows that wait. */
  private static final int SHARE = 32;

  private final Grouping grouping;
  private final Supplier<Exchange> spilled;
  private final MemoryPool.Reservation claim;
  private final long mostWaiting;
  private final Groups whole;
  private final int[] used;
  private Groups[] parts = {};
  private Waiting[] waiting = {};
  private int[] partOf = new int[Batch.TARGET_ROWS];
  private final RowsByNumber byPart = new RowsByNumber();

  /** Of one part, the columns that are read. */
  private final class Waiting {
    private ColumnBuilder[] columns;
    private int rows;

    Waiting() {
      begin();
    }

    private void begin() {
      columns =
          Arrays.stream(used)
              .mapToObj(c -> ColumnBuilder.of(grouping.spec.input().field(c).type()))
              .toArray(ColumnBuilder[]::new);
      for (ColumnBuilder column : columns) {
        // About as many as came before.
        column.reserve(rows);
      }
      rows = 0;
    }

    void append(Batch batch, int[] order, int from, int to) {
      for (int c = 0; c < used.length; c++) {
        columns[c].append(batch.column(used[c]), order, from, to);
      }
      rows += to - from;
    }

    long sizeBytes() {
      long sum = 0;
      for (ColumnBuilder column : columns) {
        sum += column.sizeBytes();
      }
      return sum;
    }

    /** The rows, as of the input; in the place of a column that nobody reads stands another. */
    Batch take() {
      Column[] out = new Column[grouping.spec.input().size()];
      for (int c = 0; c < used.length; c++) {
        out[used[c]] = columns[c].build();
      }
      for (int c = 0; c < out.length; c++) {
        out[c] = out[c] == null ? out[used[0]] : out[c];
      }
      Batch batch = new Batch(List.of(out), rows, 0);
      begin();
      return batch;
    }
  }

  /**
   * @param spilled where groups go that find no more memory
   */
  WorkerGroups(Grouping grouping, Supplier<Exchange> spilled) {
    this.grouping = grouping;
    this.spilled = spilled;
    this.claim = grouping.claim();
    this.mostWaiting = Math.min(MOST_WAITING_BYTES, grouping.context.memory().limitBytes() / SHARE);
    this.whole = new Groups(grouping, 0);
    TreeSet<Integer> read = new TreeSet<>();
    Arrays.stream(grouping.spec.keys()).forEach(read::add);
    for (AggregateCall call : grouping.spec.calls()) {
      read.add(call.argument());
      read.add(call.filter());
      call.order().forEach(key -> read.add(key.ordinal()));
    }
    this.used = read.stream().mapToInt(c -> c).filter(c -> c >= 0).toArray();
  }

  @Override
  public void accept(Batch batch) {
    if (batch.rowCount() == 0) {
      return;
    }
    if (isParted()) {
      TextRoom.accounted(() -> wait(batch));
      if (waitingBytes() >= mostWaiting) {
        addWaiting();
      }
      return;
    }
    TextRoom.accounted(() -> whole.add(batch));
    if (!whole.fits()) {
      if (whole.count() <= 1 && !grouping.ranks) {
        whole.reserve();
      } else {
        whole.flush(spilled.get());
      }
    } else if (whole.count() >= MANY
        && !whole.areSideBySide(batch.rowCount())
        && claim.tryHold(2 * whole.sizeBytes() + mostWaiting)) {
      TextRoom.accounted(this::takeApart);
    }
  }

  private void takeApart() {
    Groups.Known known = whole.known(PARTS);
    parts = new Groups[PARTS];
    waiting = new Waiting[PARTS];
    for (int p = 0; p < PARTS; p++) {
      Groups part = new Groups(grouping, 0);
      known.give(p, part::addState);
      parts[p] = part;
      waiting[p] = new Waiting();
    }
    whole.forget();
    claimOrFlush();
  }

  private void wait(Batch batch) {
    int rows = batch.rowCount();
    if (partOf.length < rows) {
      partOf = new int[rows];
    }
    Column[] keys =
        Arrays.stream(grouping.spec.keys()).mapToObj(batch::column).toArray(Column[]::new);
    Hashing.hash(keys, rows, partOf);
    for (int i = 0; i < rows; i++) {
      partOf[i] = Cutter.part(partOf[i], 0, PARTS);
    }
    byPart.sort(partOf, rows, PARTS);
    for (int p = 0; p < PARTS; p++) {
      if (byPart.start(p + 1) > byPart.start(p)) {
        waiting[p].append(batch, byPart.order(), byPart.start(p), byPart.start(p + 1));
      }
    }
  }

  private long waitingBytes() {
    long sum = 0;
    for (Waiting part : waiting) {
      sum += part.sizeBytes();
    }
    return sum;
  }

  /** Adds the rows that wait; groups that find no more memory go where the others of all go. */
  private void addWaiting() {
    for (int p = 0; p < parts.length; p++) {
      grouping.context.cancel().check();
      if (waiting[p].rows > 0) {
        Groups part = parts[p];
        Batch rows = waiting[p].take();
        TextRoom.accounted(() -> part.add(rows));
      }
    }
    claimOrFlush();
  }

  /** Claims what all parts hold and what may wait, or hands the groups on. */
  private void claimOrFlush() {
    if (!claim.tryShare(sizeBytes() + mostWaiting)) {
      flushParts();
    }
  }

  private void flushParts() {
    for (Groups part : parts) {
      part.flush(spilled.get());
    }
    claim.resize(waiting.length == 0 ? 0 : mostWaiting);
  }

  boolean isParted() {
    return parts.length > 0;
  }

  /** All groups, where they are not parted. */
  Groups whole() {
    return whole;
  }

  /** The groups of a part, where they are. */
  Groups part(int number) {
    return parts[number];
  }

  int count() {
    return whole.count() + Stream.of(parts).mapToInt(Groups::count).sum();
  }

  long sizeBytes() {
    return LongStream.concat(
            LongStream.of(whole.sizeBytes()), Stream.of(parts).mapToLong(Groups::sizeBytes))
        .sum();
  }

  /** Once all rows have come: none waits any more. */
  void settle() {
    if (isParted()) {
      addWaiting();
      waiting = new Waiting[0];
      claim.resize(sizeBytes());
    }
  }

  /** Hands all groups on. */
  void flush() {
    whole.flush(spilled.get());
    if (isParted()) {
      flushParts();
    }
  }

  void close() {
    whole.reservation.close();
    claim.close();
  }
}

package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.expr.Logic;
import yardage.core.plan.AggregateCall;

/**
 * Groups by key, with what is known of each so far. Claims memory for itself; one thread at a time.
 */
final class Groups {
  private final Grouping grouping;
  private final int level;
  private final boolean unranked;
  final MemoryPool.Reservation reservation;
  private KeyTable table;
  private Accumulator[] accumulators;
  private int[] numbers = new int[Batch.TARGET_ROWS];
  private int count;
  private long folded;

  /**
   * @param level how often the groups' rows were cut into parts
   */
  Groups(Grouping grouping, int level) {
    this(grouping, level, false);
  }

  /**
   * @param unranked whether calls are left out that have values in order
   */
  Groups(Grouping grouping, int level, boolean unranked) {
    this.grouping = grouping;
    this.reservation = grouping.claim();
    this.level = level;
    this.unranked = unranked;
    begin();
  }

  private void begin() {
    table = new KeyTable(grouping.keyTypes.toArray(Type[]::new));
    accumulators =
        grouping.spec.calls().stream()
            .map(
                call -> {
                  Accumulator own = grouping.accumulator(call);
                  return unranked && RankedValues.computes(call)
                      ? new Elsewhere(call.type(), own.stateTypes())
                      : own;
                })
            .toArray(Accumulator[]::new);
    count = 0;
  }

  int count() {
    return count;
  }

  /**
   * Whether most rows that were added last are of the group of the row before: what is known of it
   * is in the cache then.
   *
   * @param rows how many there were
   */
  boolean areSideBySide(int rows) {
    int same = 0;
    for (int i = 1; i < rows; i++) {
      same += numbers[i] == numbers[i - 1] ? 1 : 0;
    }
    return same > rows / 2;
  }

  KeyTable table() {
    return table;
  }

  Accumulator accumulator(int call) {
    return accumulators[call];
  }

  /** Adds rows; {@link #fits} has to be asked afterwards. */
  void add(Batch batch) {
    int rows = batch.rowCount();
    Column[] keys =
        Arrays.stream(grouping.spec.keys()).mapToObj(batch::column).toArray(Column[]::new);
    number(keys, rows);
    for (int a = 0; a < accumulators.length; a++) {
      AggregateCall call = grouping.spec.calls().get(a);
      add(accumulators[a], call, batch, rows);
    }
  }

  private void add(Accumulator accumulator, AggregateCall call, Batch batch, int rows) {
    Column[] columns = new Column[1 + call.order().size()];
    columns[0] = call.argument() < 0 ? null : batch.column(call.argument());
    for (int o = 0; o < call.order().size(); o++) {
      columns[o + 1] = batch.column(call.order().get(o).ordinal());
    }
    if (call.filter() < 0) {
      accumulator.addOrdered(numbers, rows, columns);
      return;
    }
    int[] chosen = new int[rows];
    int n = Logic.select((BooleanColumn) batch.column(call.filter()), chosen);
    int[] groups = new int[n];
    for (int i = 0; i < n; i++) {
      groups[i] = numbers[chosen[i]];
    }
    for (int c = 0; c < columns.length; c++) {
      columns[c] = columns[c] == null ? null : columns[c].gather(chosen, n);
    }
    accumulator.addOrdered(groups, n, columns);
  }

  /** Numbers the rows' groups, and counts those rows that are folded into others. */
  private void number(Column[] keys, int rows) {
    if (numbers.length < rows) {
      numbers = new int[rows];
    }
    int before = count;
    if (keys.length == 0) {
      Arrays.fill(numbers, 0, rows, 0);
      ensure(1);
    } else {
      table.numberOf(keys, rows, numbers);
      ensure(table.count());
    }
    fold(rows - (count - before));
  }

  private void fold(long rows) {
    folded += rows;
    grouping.tally.folded.add(rows);
  }

  /** Gives up what was added, which will be added elsewhere. */
  void discard() {
    fold(-folded);
    reservation.close();
  }

  void ensure(int groups) {
    count = groups;
    for (Accumulator accumulator : accumulators) {
      accumulator.ensure(groups);
    }
  }

  long sizeBytes() {
    long bytes = table.sizeBytes();
    for (Accumulator accumulator : accumulators) {
      bytes += accumulator.sizeBytes();
    }
    return bytes;
  }

  /** Claims what the groups hold now, if there is so much to share. */
  boolean fits() {
    return reservation.tryShare(sizeBytes());
  }

  /** Claims what the groups hold now, of all that there is. */
  void reserve() {
    reservation.resize(sizeBytes());
  }

  boolean hasRoomFor(Groups other) {
    return reservation.tryMost(sizeBytes() + other.sizeBytes());
  }

  /** Takes over all groups of another, which is spent. */
  void merge(Groups other) {
    absorb(other);
    reserve();
  }

  /** As {@link #merge}, where memory has been claimed for both. */
  void absorb(Groups other) {
    if (other.count == 0) {
      return;
    }
    number(other.table.build(), other.count);
    for (int a = 0; a < accumulators.length; a++) {
      accumulators[a].merge(numbers, other.count, other.accumulators[a]);
    }
    other.reservation.close();
  }

  /** Hands all groups to the parts of an exchange, and begins again without any. */
  void flush(Exchange exchange) {
    if (count > 0) {
      Known known = known(exchange.parts());
      for (int p = 0; p < exchange.parts(); p++) {
        RowsByNumber rows = known.byPart();
        exchange.add(p, known.groups(), rows.order(), rows.start(p), rows.start(p + 1));
      }
    }
    forget();
  }

  /** Begins again without any group. */
  void forget() {
    begin();
    reservation.resize(0);
  }

  /** All groups, and which of them belong to each part. */
  record Known(Batch groups, RowsByNumber byPart) {
    /** Gives those of one part, some at a time. */
    void give(int part, BatchConsumer out) {
      int end = byPart.start(part + 1);
      for (int from = byPart.start(part); from < end; from += Batch.TARGET_ROWS) {
        int to = Math.min(end, from + Batch.TARGET_ROWS);
        int[] some = Arrays.copyOfRange(byPart.order(), from, to);
        out.accept(groups.gather(some, some.length));
      }
    }
  }

  /** All groups, cut into parts by their hashes. They are not to be added to any more. */
  Known known(int parts) {
    Batch groups = groups();
    int n = groups.rowCount();
    int[] partOf = new int[n];
    Hashing.hash(
        groups.columns().subList(0, grouping.keyTypes.size()).toArray(Column[]::new), n, partOf);
    for (int g = 0; g < n; g++) {
      partOf[g] = Cutter.part(partOf[g], level, parts);
    }
    RowsByNumber byPart = new RowsByNumber();
    byPart.sort(partOf, n, parts);
    return new Known(groups, byPart);
  }

  /** The keys of all groups, and what is known of each; of those with many values in pieces. */
  private Batch groups() {
    List<LongLists.Known> known = new ArrayList<>();
    for (int a = 0; a < accumulators.length; a++) {
      List<Column> state = accumulators[a].state(count);
      known.add(new LongLists.Known(state, nothing(a)));
    }
    Batch cut = LongLists.cut(List.of(table.build()), count, known);
    // Pieces of a group are folded into one again where they meet.
    fold(count - cut.rowCount());
    return cut;
  }

  /** The state of a call where nothing is known; none where it is lists of values. */
  private List<Column> nothing(int call) {
    if (accumulators[call] instanceof GatheredValues) {
      return List.of();
    }
    Accumulator fresh = grouping.accumulator(grouping.spec.calls().get(call));
    fresh.ensure(1);
    return fresh.state(1);
  }

  /** Adds groups that {@link #flush} wrote. */
  void addState(Batch batch) {
    TextRoom.accounted(() -> addStateOf(batch));
  }

  private void addStateOf(Batch batch) {
    int rows = batch.rowCount();
    number(batch.columns().subList(0, grouping.keyTypes.size()).toArray(Column[]::new), rows);
    int at = grouping.keyTypes.size();
    for (Accumulator accumulator : accumulators) {
      int width = accumulator.stateTypes().size();
      accumulator.addState(numbers, rows, batch.columns().subList(at, at + width));
      at += width;
    }
  }

  void give(BatchConsumer out) {
    give(build(), count, out);
  }

  static void give(List<Column> columns, int count, BatchConsumer out) {
    for (int from = 0; from < count; from += Batch.TARGET_ROWS) {
      int to = Math.min(count, from + Batch.TARGET_ROWS);
      out.accept(BatchStore.slice(columns, from, to, from / Batch.TARGET_ROWS));
    }
  }

  List<Column> build() {
    List<Column> out = new ArrayList<>(List.of(table.build()));
    for (Accumulator accumulator : accumulators) {
      out.add(accumulator.build(count));
    }
    return out;
  }
}

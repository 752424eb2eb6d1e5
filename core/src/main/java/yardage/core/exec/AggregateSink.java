package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.List;
import java.util.Objects;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.expr.Logic;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateSpec;

/**
 * Groups and aggregates. Each worker has groups of its own, merged into the largest at the end.
 *
 * <p>A worker whose groups find no more memory hands them to an exchange, cut by the hash of their
 * keys, with what is known of each so far, and begins again. The groups of each part then meet on
 * their own, when they are read; a part that is too large is cut once more, by other bits.
 */
final class AggregateSink implements Holding {
  private static final int PARTS = 32;

  /** Fewer groups of the second worker are merged sooner by one. */
  private static final int WORTH_ALL_WORKERS = 20_000;

  /** Enough that workers end together, and that a part's table fits a cache better. */
  private static final int PARTS_A_WORKER = 8;

  /** Beyond this many cuts what is left are groups that are large themselves. */
  private static final int MOST_LEVELS = 6;

  private final AggregateSpec spec;
  private final StepTally tally;
  private final ExecutionContext context;
  private final List<Groups> workers = new ArrayList<>();
  private final List<Type> keyTypes;
  private final List<Type> stateTypes;
  private final Turns turns = new Turns();
  private Exchange spilled;

  /** The groups, in one part or several. */
  private List<List<Column>> result = List.of();

  private final MemoryPool.Reservation merging;

  /** Whether some calls have a group's values in order, and can have them so on disk. */
  private final boolean ranks;

  AggregateSink(AggregateSpec spec, StepTally tally, ExecutionContext context) {
    this.spec = spec;
    this.tally = tally;
    this.context = context;
    this.merging = context.memory().reservation(tally, "groups");
    this.ranks = spec.calls().stream().anyMatch(RankedValues::computes);
    this.keyTypes = Arrays.stream(spec.keys()).mapToObj(k -> spec.input().field(k).type()).toList();
    this.stateTypes = new ArrayList<>(keyTypes);
    for (AggregateCall call : spec.calls()) {
      stateTypes.addAll(accumulator(call).stateTypes());
    }
  }

  private Accumulator accumulator(AggregateCall call) {
    Schema in = spec.input();
    Type[] argumentTypes = new Type[1 + call.order().size()];
    argumentTypes[0] = call.argument() < 0 ? Type.BIGINT : in.field(call.argument()).type();
    for (int o = 0; o < call.order().size(); o++) {
      argumentTypes[o + 1] = in.field(call.order().get(o).ordinal()).type();
    }
    return Accumulator.of(call, context.cancel(), argumentTypes);
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    Groups groups = new Groups(0);
    workers.add(groups);
    return groups;
  }

  private Exchange exchange() {
    return new Exchange(PARTS, stateTypes, context, tally, "groups");
  }

  private synchronized Exchange spilled() {
    if (spilled == null) {
      spilled = exchange();
    }
    return spilled;
  }

  @Override
  public void finish() {
    if (workers.isEmpty()) {
      workers.add(new Groups(0));
    }
    if (spilled == null) {
      mergeAll();
    }
    if (spilled != null) {
      workers.forEach(w -> w.flush(spilled));
      workers.clear();
    }
  }

  private void mergeAll() {
    workers.sort((a, b) -> Integer.compare(b.count, a.count));
    Groups all = workers.get(0);
    if (workers.size() > 1 && workers.get(1).count >= WORTH_ALL_WORKERS) {
      mergeInParts();
      return;
    }
    for (Groups other : workers.subList(1, workers.size())) {
      context.cancel().check();
      if (other.count > 0 && !all.hasRoomFor(other)) {
        spilled();
        return;
      }
      all.merge(other);
    }
    if (spec.keys().length == 0 && all.count == 0) {
      all.ensure(1);
      tally.added.increment();
    }
    result = List.of(all.build());
    workers.clear();
    workers.add(all);
  }

  /** What a worker knows of its groups, and which of them belong to each part. */
  private record Known(Batch groups, int[][] rowsOfPart) {}

  /** Cuts the groups of all workers by their hashes, so that each part is merged by one worker. */
  private void mergeInParts() {
    long needed = 2 * workers.stream().mapToLong(Groups::sizeBytes).sum();
    if (!merging.tryMost(needed)) {
      spilled();
      return;
    }
    int parts = PARTS_A_WORKER * context.workers();
    Known[] known = new Known[workers.size()];
    Parallel.forEach(
        IntStream.range(0, known.length).boxed().toList(),
        context,
        w -> TextRoom.accounted(() -> known[w] = workers.get(w).known(parts)));
    workers.forEach(w -> w.reservation.close());
    workers.clear();
    List<List<Column>> merged = new ArrayList<>(Collections.nCopies(parts, List.of()));
    Parallel.forEach(
        IntStream.range(0, parts).boxed().toList(),
        context,
        part -> {
          Groups groups = new Groups(0);
          for (Known k : known) {
            int[] rows = k.rowsOfPart[part];
            for (int from = 0; from < rows.length; from += Batch.TARGET_ROWS) {
              context.cancel().check();
              int to = Math.min(rows.length, from + Batch.TARGET_ROWS);
              int[] some = Arrays.copyOfRange(rows, from, to);
              TextRoom.accounted(() -> groups.addState(k.groups.gather(some, some.length)));
            }
          }
          List<Column> built = groups.build();
          synchronized (merged) {
            merged.set(part, built);
          }
          groups.reservation.close();
        });
    result = merged;
    merging.resize(merged.stream().flatMap(List::stream).mapToLong(Column::sizeBytes).sum());
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    return () ->
        spilled == null
            ? result.stream()
                .flatMap(part -> BatchStore.source(() -> part).splits().stream())
                .toList()
            : spilled.splits(turns, (p, out) -> readPart(spilled, p, 1, out));
  }

  /**
   * Merges the groups of one part, and gives them.
   *
   * @param level how often they were cut
   */
  private void readPart(Exchange from, int part, int level, BatchConsumer out) {
    if (from.rows(part) == 0) {
      return;
    }
    Exchange further = null;
    try {
      Groups groups = new Groups(level);
      try {
        for (int f = 0; f < from.frames(part); f++) {
          context.cancel().check();
          groups.addState(from.frame(part, f));
          if (!groups.fits()) {
            boolean large = groups.count <= 1 || level >= MOST_LEVELS;
            if (large && ranks && further == null) {
              groups.discard();
              turns.alone(() -> readRanked(from, part, out));
              return;
            } else if (large && !ranks) {
              turns.insist(groups.reservation, groups.sizeBytes());
            } else {
              further = further == null ? exchange() : further;
              groups.flush(further);
            }
          }
        }
        if (further == null) {
          groups.give(out);
          return;
        }
        groups.flush(further);
      } finally {
        groups.reservation.close();
      }
      for (int p = 0; p < PARTS; p++) {
        readPart(further, p, level + 1, out);
      }
    } finally {
      if (further != null) {
        further.close();
      }
    }
  }

  /** As {@link #readPart}, of groups of which one has more values than memory takes. */
  private void readRanked(Exchange from, int part, BatchConsumer out) {
    Groups others = new Groups(0, true);
    RankedValues[] ranked = new RankedValues[spec.calls().size()];
    try (MemoryPool.Reservation frame = context.memory().reservation(tally, "groups")) {
      for (int f = 0; f < from.frames(part); f++) {
        context.cancel().check();
        turns.insist(frame, 2 * from.rowBytes(part) / from.frames(part));
        Batch batch = from.frame(part, f);
        others.addState(batch);
        turns.insist(others.reservation, others.sizeBytes());
        int at = keyTypes.size();
        for (int a = 0; a < ranked.length; a++) {
          AggregateCall call = spec.calls().get(a);
          int width = others.accumulators[a].stateTypes().size();
          List<Column> state = batch.columns().subList(at, at + width);
          at += width;
          if (RankedValues.computes(call)) {
            if (ranked[a] == null) {
              List<Type> types =
                  state.stream().map(s -> ((ListColumn) s).elements().type()).toList();
              ranked[a] = new RankedValues(call, keyTypes, types, tally, context);
            }
            ranked[a].add(batch.columns().subList(0, keyTypes.size()), batch.rowCount(), state);
          }
        }
      }
      frame.resize(0);
      int groups = others.count;
      Column[] values = new Column[ranked.length];
      for (int a = 0; a < ranked.length; a++) {
        values[a] = ranked[a] == null ? null : ranked[a].values(others.table, groups, turns);
      }
      List<Column> columns = others.build();
      for (int a = 0; a < ranked.length; a++) {
        if (values[a] != null) {
          columns.set(keyTypes.size() + a, values[a]);
        }
      }
      Groups.give(columns, groups, out);
    } finally {
      others.reservation.close();
      Arrays.stream(ranked).filter(Objects::nonNull).forEach(RankedValues::close);
    }
  }

  @Override
  public void release() {
    workers.forEach(w -> w.reservation.close());
    merging.close();
    if (spilled != null) {
      spilled.close();
    }
    result = List.of();
  }

  private final class Groups implements BatchConsumer {
    private final int level;
    private final boolean unranked;
    private final MemoryPool.Reservation reservation =
        context.memory().reservation(tally, "groups");
    private KeyTable table;
    private Accumulator[] accumulators;
    private int[] numbers = new int[Batch.TARGET_ROWS];
    private int count;
    private long folded;

    /**
     * @param level how often the groups' rows were cut into parts
     */
    Groups(int level) {
      this(level, false);
    }

    /**
     * @param unranked whether calls are left out that have values in order
     */
    Groups(int level, boolean unranked) {
      this.level = level;
      this.unranked = unranked;
      begin();
    }

    private void begin() {
      table = new KeyTable(keyTypes.toArray(Type[]::new));
      accumulators =
          spec.calls().stream()
              .map(
                  call -> {
                    Accumulator own = accumulator(call);
                    return unranked && RankedValues.computes(call)
                        ? new Elsewhere(call.type(), own.stateTypes())
                        : own;
                  })
              .toArray(Accumulator[]::new);
      count = 0;
    }

    @Override
    public void accept(Batch batch) {
      int rows = batch.rowCount();
      if (rows == 0) {
        return;
      }
      TextRoom.accounted(() -> add(batch));
      if (!fits()) {
        if (count <= 1 && !ranks) {
          reserve();
        } else {
          flush(spilled());
        }
      }
    }

    private void add(Batch batch) {
      int rows = batch.rowCount();
      Column[] keys = Arrays.stream(spec.keys()).mapToObj(batch::column).toArray(Column[]::new);
      number(keys, rows);
      for (int a = 0; a < accumulators.length; a++) {
        AggregateCall call = spec.calls().get(a);
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
      tally.folded.add(rows);
    }

    /** Gives up what was added, which will be added elsewhere. */
    void discard() {
      fold(-folded);
      reservation.close();
    }

    private void ensure(int groups) {
      count = groups;
      for (Accumulator accumulator : accumulators) {
        accumulator.ensure(groups);
      }
    }

    private long sizeBytes() {
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

    void merge(Groups other) {
      if (other.count == 0) {
        return;
      }
      number(other.table.build(), other.count);
      for (int a = 0; a < accumulators.length; a++) {
        accumulators[a].merge(numbers, other.count, other.accumulators[a]);
      }
      other.reservation.close();
      reserve();
    }

    /** Hands all groups to an exchange, and begins again without any. */
    void flush(Exchange exchange) {
      if (count > 0) {
        Known known = known(PARTS);
        for (int p = 0; p < PARTS; p++) {
          int[] rows = known.rowsOfPart[p];
          for (int from = 0; from < rows.length; ) {
            context.cancel().check();
            int to = from + LongLists.fit(known.groups, rows, from);
            int[] some = Arrays.copyOfRange(rows, from, to);
            exchange.add(p, known.groups.gather(some, some.length));
            from = to;
          }
        }
      }
      begin();
      reservation.resize(0);
    }

    /** All groups, cut into parts by their hashes. They are not to be added to any more. */
    Known known(int parts) {
      Batch groups = groups();
      int n = groups.rowCount();
      int[] partOf = new int[n];
      Hashing.hash(groups.columns().subList(0, keyTypes.size()).toArray(Column[]::new), n, partOf);
      int[] sizes = new int[parts];
      for (int g = 0; g < n; g++) {
        partOf[g] = Cutter.part(partOf[g], level, parts);
        sizes[partOf[g]]++;
      }
      int[][] rows = new int[parts][];
      Arrays.setAll(rows, p -> new int[sizes[p]]);
      for (int g = n - 1; g >= 0; g--) {
        rows[partOf[g]][--sizes[partOf[g]]] = g;
      }
      return new Known(groups, rows);
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
      Accumulator fresh = accumulator(spec.calls().get(call));
      fresh.ensure(1);
      return fresh.state(1);
    }

    /** Adds groups that {@link #flush} wrote. */
    void addState(Batch batch) {
      TextRoom.accounted(() -> addStateOf(batch));
    }

    private void addStateOf(Batch batch) {
      int rows = batch.rowCount();
      number(batch.columns().subList(0, keyTypes.size()).toArray(Column[]::new), rows);
      int at = keyTypes.size();
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
}

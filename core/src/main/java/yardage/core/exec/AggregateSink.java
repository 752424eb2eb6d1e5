package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.exec.PhysicalNode.AggregateCall;
import yardage.core.expr.Logic;

/**
 * Groups and aggregates. Each worker has groups of its own, merged into the largest at the end.
 *
 * <p>A worker whose groups find no more memory hands them to an exchange, cut by the hash of their
 * keys, with what is known of each so far, and begins again. The groups of each part then meet on
 * their own, when they are read; a part that is too large is cut once more, by other bits.
 */
final class AggregateSink implements Sink {
  private static final int PARTS = 32;

  /** Beyond this many cuts what is left are groups that are large themselves. */
  private static final int MOST_LEVELS = 6;

  private final PhysicalNode.Aggregate node;
  private final ExecutionContext context;
  private final List<Groups> workers = new ArrayList<>();
  private final List<Type> keyTypes;
  private final List<Type> stateTypes;
  private final Turns turns = new Turns();
  private Exchange spilled;
  private List<Column> result;

  AggregateSink(PhysicalNode.Aggregate node, ExecutionContext context) {
    this.node = node;
    this.context = context;
    this.keyTypes =
        Arrays.stream(node.keys()).mapToObj(k -> node.input().schema().field(k).type()).toList();
    this.stateTypes = new ArrayList<>(keyTypes);
    for (AggregateCall call : node.calls()) {
      stateTypes.addAll(accumulator(call).stateTypes());
    }
  }

  private Accumulator accumulator(AggregateCall call) {
    Schema in = node.input().schema();
    Type[] argumentTypes = new Type[1 + call.order().size()];
    argumentTypes[0] = call.argument() < 0 ? Type.BIGINT : in.field(call.argument()).type();
    for (int o = 0; o < call.order().size(); o++) {
      argumentTypes[o + 1] = in.field(call.order().get(o).ordinal()).type();
    }
    return Accumulator.of(call, argumentTypes);
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    Groups groups = new Groups(0);
    workers.add(groups);
    return groups;
  }

  private Exchange exchange() {
    return new Exchange(PARTS, stateTypes, context, node.tally(), "groups");
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
    for (Groups other : workers.subList(1, workers.size())) {
      context.cancel().check();
      if (other.count > 0 && !all.hasRoomFor(other)) {
        spilled();
        return;
      }
      all.merge(other);
    }
    if (node.keys().length == 0 && all.count == 0) {
      all.ensure(1);
      node.tally().added.increment();
    }
    result = all.build();
    workers.clear();
    workers.add(all);
  }

  @Override
  public void abort() {
    release();
  }

  ScanSource source() {
    return () ->
        spilled == null
            ? BatchStore.source(() -> result).splits()
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
            if (groups.count <= 1 || level >= MOST_LEVELS) {
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

  void release() {
    workers.forEach(w -> w.reservation.close());
    if (spilled != null) {
      spilled.close();
    }
    result = List.of();
  }

  private final class Groups implements BatchConsumer {
    private final int level;
    private final MemoryPool.Reservation reservation =
        context.memory().reservation(node.tally(), "groups");
    private KeyTable table;
    private Accumulator[] accumulators;
    private int[] numbers = new int[Batch.TARGET_ROWS];
    private int count;

    /**
     * @param level how often the groups' rows were cut into parts
     */
    Groups(int level) {
      this.level = level;
      begin();
    }

    private void begin() {
      table = new KeyTable(keyTypes.toArray(Type[]::new));
      accumulators =
          node.calls().stream().map(AggregateSink.this::accumulator).toArray(Accumulator[]::new);
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
        if (count <= 1) {
          reserve();
        } else {
          flush(spilled());
        }
      }
    }

    private void add(Batch batch) {
      int rows = batch.rowCount();
      Column[] keys = Arrays.stream(node.keys()).mapToObj(batch::column).toArray(Column[]::new);
      number(keys, rows);
      for (int a = 0; a < accumulators.length; a++) {
        AggregateCall call = node.calls().get(a);
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
      node.tally().folded.add(rows - (count - before));
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
        List<Column> columns = new ArrayList<>(List.of(table.build()));
        for (Accumulator accumulator : accumulators) {
          columns.addAll(accumulator.state(count));
        }
        Batch all = new Batch(columns, count, 0);
        Column[] keys = columns.subList(0, keyTypes.size()).toArray(Column[]::new);
        int[] hashes = new int[count];
        Hashing.hash(keys, count, hashes);
        int[] rows = new int[count];
        for (int p = 0; p < PARTS; p++) {
          int n = 0;
          for (int g = 0; g < count; g++) {
            rows[n] = g;
            n += Cutter.part(hashes[g], level, PARTS) == p ? 1 : 0;
          }
          for (int from = 0; from < n; from += Batch.TARGET_ROWS) {
            context.cancel().check();
            int to = Math.min(n, from + Batch.TARGET_ROWS);
            exchange.add(p, all.gather(Arrays.copyOfRange(rows, from, to), to - from));
          }
        }
      }
      begin();
      reservation.resize(0);
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
      List<Column> columns = build();
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

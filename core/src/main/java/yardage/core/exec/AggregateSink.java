package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.exec.PhysicalNode.AggregateCall;
import yardage.core.expr.Logic;

/** Groups and aggregates: each worker has groups of its own, merged into the largest at the end. */
final class AggregateSink implements Sink {
  private final PhysicalNode.Aggregate node;
  private final ExecutionContext context;
  private final List<Groups> workers = new ArrayList<>();
  private List<Column> result;

  AggregateSink(PhysicalNode.Aggregate node, ExecutionContext context) {
    this.node = node;
    this.context = context;
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    Groups groups = new Groups();
    workers.add(groups);
    return groups;
  }

  @Override
  public void finish() {
    if (workers.isEmpty()) {
      workers.add(new Groups());
    }
    workers.sort((a, b) -> Integer.compare(b.count, a.count));
    Groups all = workers.get(0);
    for (Groups other : workers.subList(1, workers.size())) {
      context.cancel().check();
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
    return BatchStore.source(() -> result);
  }

  void release() {
    workers.forEach(w -> w.reservation.close());
    result = List.of();
  }

  private final class Groups implements BatchConsumer {
    private final KeyTable table;
    private final Accumulator[] accumulators;
    private final MemoryPool.Reservation reservation =
        context.memory().reservation(node.tally(), "groups");
    private int[] numbers = new int[Batch.TARGET_ROWS];
    private int count;

    Groups() {
      Schema in = node.input().schema();
      Type[] types = new Type[node.keys().length];
      for (int i = 0; i < types.length; i++) {
        types[i] = in.field(node.keys()[i]).type();
      }
      table = new KeyTable(types);
      accumulators = new Accumulator[node.calls().size()];
      for (int i = 0; i < accumulators.length; i++) {
        AggregateCall call = node.calls().get(i);
        Type[] argumentTypes = new Type[1 + call.order().size()];
        argumentTypes[0] = call.argument() < 0 ? Type.BIGINT : in.field(call.argument()).type();
        for (int o = 0; o < call.order().size(); o++) {
          argumentTypes[o + 1] = in.field(call.order().get(o).ordinal()).type();
        }
        accumulators[i] = Accumulator.of(call, argumentTypes);
      }
    }

    @Override
    public void accept(Batch batch) {
      int rows = batch.rowCount();
      if (rows == 0) {
        return;
      }
      if (numbers.length < rows) {
        numbers = new int[rows];
      }
      int before = count;
      number(columns(batch), rows);
      node.tally().folded.add(rows - (count - before));
      for (int a = 0; a < accumulators.length; a++) {
        AggregateCall call = node.calls().get(a);
        add(accumulators[a], call, batch, rows);
      }
      reserve();
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

    private Column[] columns(Batch batch) {
      return Arrays.stream(node.keys()).mapToObj(batch::column).toArray(Column[]::new);
    }

    private void number(Column[] keys, int rows) {
      if (keys.length == 0) {
        Arrays.fill(numbers, 0, rows, 0);
        ensure(1);
      } else {
        table.numberOf(keys, rows, numbers);
        ensure(table.count());
      }
    }

    private void ensure(int groups) {
      count = groups;
      for (Accumulator accumulator : accumulators) {
        accumulator.ensure(groups);
      }
    }

    private void reserve() {
      long bytes = table.sizeBytes();
      for (Accumulator accumulator : accumulators) {
        bytes += accumulator.sizeBytes();
      }
      reservation.resize(bytes);
    }

    void merge(Groups other) {
      int theirs = other.count;
      if (theirs == 0) {
        return;
      }
      if (numbers.length < theirs) {
        numbers = new int[theirs];
      }
      int before = count;
      number(other.table.build(), theirs);
      node.tally().folded.add(theirs - (count - before));
      for (int a = 0; a < accumulators.length; a++) {
        accumulators[a].merge(numbers, theirs, other.accumulators[a]);
      }
      other.reservation.close();
      reserve();
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

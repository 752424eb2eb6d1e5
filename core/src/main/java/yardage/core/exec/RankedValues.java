package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.SortKey;
import yardage.core.plan.SortSpec;

/**
 * A percentile of groups that do not fit in memory: their values are sorted on disk by group and in
 * their order, and those at the places in question are looked up.
 */
final class RankedValues implements AutoCloseable {
  private final AggregateCall call;
  private final ExecutionContext context;
  private final StepTally tally;
  private final int keys;
  private final WindowStep inOrder;
  private final SortSink sorter;
  private final BatchConsumer sorted;

  /**
   * @param keyTypes of the columns that groups are made by
   * @param valueTypes of the argument, then of the columns to order by
   */
  RankedValues(
      AggregateCall call,
      List<Type> keyTypes,
      List<Type> valueTypes,
      StepTally tally,
      ExecutionContext context) {
    this.call = call;
    this.context = context;
    this.tally = tally;
    this.keys = keyTypes.size();
    List<Schema.Field> fields = new ArrayList<>();
    keyTypes.forEach(t -> fields.add(new Schema.Field("c" + fields.size(), t)));
    valueTypes.forEach(t -> fields.add(new Schema.Field("c" + fields.size(), t)));
    List<SortKey> order = new ArrayList<>();
    for (int o = 0; o < call.order().size(); o++) {
      SortKey k = call.order().get(o);
      order.add(new SortKey(keys + 1 + o, k.descending(), k.nullsFirst()));
    }
    order.add(SortKey.of(keys, false));
    inOrder = new WindowStep(IntStream.range(0, keys).toArray(), order, List.of());
    SortSpec spec = new SortSpec(tally.step(), inOrder.wholeOrder(), 0, -1, new Schema(fields));
    sorter = new SortSink(spec, true, tally, context);
    sorted = sorter.consumer(new Worker(0, context));
  }

  static boolean computes(AggregateCall call) {
    return switch (call.function().family()) {
      case PERCENTILE, RANKED -> true;
      case COUNT, SUM, AVG, EXTREME, SINGLE, MOMENTS, PAIRS, FOREMOST, COMMONEST, JOINED, LIST ->
          false;
    };
  }

  /**
   * Takes what is known of some groups.
   *
   * @param keyColumns one row for each group
   * @param state the values of each group as lists, as {@link GatheredValues#state} has them
   */
  void add(List<Column> keyColumns, int groups, List<Column> state) {
    int[] owners =
        Groupings.owners((ListColumn) state.get(0), IntStream.range(0, groups).toArray(), groups);
    for (int from = 0; from < owners.length; from += Batch.TARGET_ROWS) {
      context.cancel().check();
      int to = Math.min(owners.length, from + Batch.TARGET_ROWS);
      int[] some = Arrays.copyOfRange(owners, from, to);
      int[] places = IntStream.range(from, to).toArray();
      List<Column> columns = new ArrayList<>();
      keyColumns.forEach(k -> columns.add(k.gather(some, some.length)));
      state.forEach(s -> columns.add(((ListColumn) s).elements().gather(places, places.length)));
      sorted.accept(new Batch(columns, some.length, 0));
    }
  }

  /**
   * The value of each group.
   *
   * @param numbers knows the groups by their keys
   * @param turns of those that may have memory which is missing here
   */
  Column values(KeyTable numbers, int groups, Turns turns) {
    sorter.finish();
    try (Exchange run = sorter.run();
        MemoryPool.Reservation claim = context.memory().reservation(tally, "groups")) {
      WindowRows.Run rows = new WindowRows.Run(run, inOrder, context.cancel());
      Distances distances = new Distances(rows);
      turns.insist(claim, rows.mostBytes());
      int[] placeOf = new int[groups];
      Arrays.fill(placeOf, -1);
      ColumnBuilder out = ColumnBuilder.of(call.type());
      for (long from = 0; from < rows.count(); ) {
        long to = rows.partitionEnd(from);
        placeOf[number(rows, from, numbers)] = out.size();
        Column value = value(distances, from, to);
        out.append(value, 0);
        from = to;
      }
      return out.build().gather(placeOf, groups);
    }
  }

  private int number(WindowRows rows, long place, KeyTable numbers) {
    if (keys == 0) {
      return 0;
    }
    Column[] key = new Column[keys];
    rows.piece(place, place + 1, IntStream.range(0, keys).toArray(), key);
    int[] number = new int[1];
    numbers.numberOf(key, 1, number);
    return number[0];
  }

  private Column value(Distances distances, long from, long to) {
    long count = call.distinct() ? distances.distinct(from, to) : to - from;
    if (call.function() != AggregateFunction.PERCENTILE) {
      return distances.at(from, to, Shares.reached(call.parameter(), count));
    }
    double place = Shares.between(call.parameter(), count);
    long low = (long) Math.floor(place);
    double below = number(distances.at(from, to, low));
    double above = low + 1 < count ? number(distances.at(from, to, low + 1)) : below;
    return new DoubleColumn(new double[] {Shares.value(place, below, above)}, null, 1);
  }

  private static double number(Column value) {
    return ((Number) value.value(0)).doubleValue();
  }

  /** Finds values of a group by how many come before them, each of them once where that counts. */
  private final class Distances {
    private final WindowRows rows;
    private final WindowRows.Cursor one;
    private final WindowRows.Cursor other;

    Distances(WindowRows rows) {
      this.rows = rows;
      one = rows.cursor();
      other = rows.cursor();
    }

    long distinct(long from, long to) {
      long count = 0;
      for (long at = from; at < to; at++) {
        count += isNew(from, at) ? 1 : 0;
      }
      return count;
    }

    private boolean isNew(long from, long at) {
      if (at == from) {
        return true;
      }
      one.to(at - 1);
      other.to(at);
      return Values.compare(
              one.columns().get(keys), one.row(), other.columns().get(keys), other.row())
          != 0;
    }

    Column at(long from, long to, long before) {
      long place = from + before;
      if (call.distinct()) {
        long left = before + 1;
        place = from - 1;
        while (left > 0) {
          left -= isNew(from, ++place) ? 1 : 0;
        }
      }
      Column[] value = new Column[1];
      rows.piece(place, place + 1, new int[] {keys}, value);
      return value[0];
    }
  }

  @Override
  public void close() {
    sorter.release();
  }
}

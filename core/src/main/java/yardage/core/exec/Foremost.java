package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.expr.ExpressionException;
import yardage.core.expr.Literal;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.SortKey;

/**
 * FIRST_OF and LAST_OF: the row of each group that comes first or last by an order; MIN and MAX, by
 * the value alone; and the single value of a scalar subquery. Rows are in a store that is rewritten
 * when half of it is stale. Those whose value is null are skipped; values break ties, so that the
 * result does not depend on which worker came first.
 */
final class Foremost extends Accumulator {
  private final boolean first;
  private final boolean single;
  private final boolean comparable;
  private final SortKey[] order;
  private final Type[] types;
  private ColumnBuilder[] kept;
  private int[] placeOf = new int[16];
  private int groupCount;

  /**
   * @param types of the argument, then of the columns to order by
   */
  Foremost(AggregateCall call, Type[] types) {
    AggregateFunction f = call.function();
    this.first = f == AggregateFunction.FIRST || f == AggregateFunction.MIN;
    this.single = f == AggregateFunction.SINGLE_VALUE;
    this.order = call.order().toArray(SortKey[]::new);
    // A null is a row, too: whether there is one stands beside the single value.
    this.types = single ? new Type[] {types[0], Type.BOOLEAN} : types;
    this.comparable = !types[0].isNested();
    this.kept = builders();
    Arrays.fill(placeOf, -1);
  }

  private ColumnBuilder[] builders() {
    return Arrays.stream(types).map(ColumnBuilder::of).toArray(ColumnBuilder[]::new);
  }

  @Override
  void ensure(int groups) {
    if (groups > placeOf.length) {
      int before = placeOf.length;
      placeOf = Arrays.copyOf(placeOf, Math.max(groups, before * 2));
      Arrays.fill(placeOf, before, placeOf.length, -1);
    }
    groupCount = Math.max(groupCount, groups);
  }

  @Override
  void add(int[] groups, int rows, Column argument) {
    addOrdered(groups, rows, new Column[] {argument});
  }

  @Override
  void addOrdered(int[] groups, int rows, Column[] columns) {
    if (columns.length < types.length) {
      addOrdered(
          groups, rows, new Column[] {columns[0], Literal.of(Type.BOOLEAN, true).column(rows)});
      return;
    }
    Column there = columns[single ? 1 : 0];
    for (int i = 0; i < rows; i++) {
      if (there.isNull(i)) {
        continue;
      }
      int place = placeOf[groups[i]];
      if (place >= 0) {
        if (single) {
          throw new ExpressionException("A subquery used as a value gave more than one row");
        }
        int c = compare(place, columns, i);
        if (first ? c <= 0 : c >= 0) {
          continue;
        }
      }
      placeOf[groups[i]] = kept[0].size();
      for (int k = 0; k < kept.length; k++) {
        kept[k].append(columns[k], i);
      }
    }
    if (kept[0].size() > 4096 && kept[0].size() > 2L * groupCount) {
      Column[] best = best(groupCount);
      kept = builders();
      Arrays.fill(placeOf, -1);
      addOrdered(all(groupCount), groupCount, best);
    }
  }

  private static int[] all(int groups) {
    int[] out = new int[groups];
    Arrays.setAll(out, g -> g);
    return out;
  }

  /** How a row that is kept stands to another. */
  private int compare(int place, Column[] columns, int row) {
    for (int k = 0; k < order.length; k++) {
      ColumnBuilder mine = kept[k + 1];
      boolean mineIsNull = mine.isNull(place);
      if (mineIsNull || columns[k + 1].isNull(row)) {
        if (mineIsNull != columns[k + 1].isNull(row)) {
          return mineIsNull == order[k].nullsFirst() ? -1 : 1;
        }
        continue;
      }
      int c = mine.compareAt(place, columns[k + 1], row);
      if (c != 0) {
        return order[k].descending() ? -c : c;
      }
    }
    return comparable ? kept[0].compareAt(place, columns[0], row) : 0;
  }

  /** Each group's row; nulls where there is none. */
  private Column[] best(int groups) {
    ensure(groups);
    return Arrays.stream(kept).map(k -> k.build().gather(placeOf, groups)).toArray(Column[]::new);
  }

  @Override
  void merge(int[] groups, int count, Accumulator other) {
    addOrdered(groups, count, ((Foremost) other).best(count));
  }

  @Override
  List<Type> stateTypes() {
    return List.of(types);
  }

  @Override
  List<Column> state(int groups) {
    return List.of(best(groups));
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {
    addOrdered(groups, count, state.toArray(Column[]::new));
  }

  @Override
  Column build(int groups) {
    return best(groups)[0];
  }

  @Override
  long sizeBytes() {
    return 4L * placeOf.length + Arrays.stream(kept).mapToLong(ColumnBuilder::sizeBytes).sum();
  }
}

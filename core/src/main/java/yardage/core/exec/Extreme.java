package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.expr.ExpressionException;
import yardage.core.plan.AggregateFunction;

/**
 * MIN, MAX and the single value of a scalar subquery: one row kept per group, in a store that is
 * rewritten when half of it is stale.
 */
final class Extreme extends Accumulator {
  private final AggregateFunction function;
  private final Type type;
  private ColumnBuilder kept;
  private int[] placeOf = new int[16];
  private int groupCount;

  Extreme(AggregateFunction function, Type type) {
    this.function = function;
    this.type = type;
    this.kept = ColumnBuilder.of(type);
    Arrays.fill(placeOf, -1);
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
    for (int i = 0; i < rows; i++) {
      if (argument.isNull(i)) {
        continue;
      }
      int g = groups[i];
      if (placeOf[g] >= 0) {
        if (function == AggregateFunction.SINGLE_VALUE) {
          throw new ExpressionException("A subquery used as a value gave more than one row");
        }
        int c = kept.compareAt(placeOf[g], argument, i);
        if (function == AggregateFunction.MIN ? c <= 0 : c >= 0) {
          continue;
        }
      }
      placeOf[g] = kept.size();
      kept.append(argument, i);
    }
    if (kept.size() > 4096 && kept.size() > 2L * groupCount) {
      compact();
    }
  }

  private void compact() {
    Column old = kept.build();
    kept = ColumnBuilder.of(type);
    for (int g = 0; g < groupCount; g++) {
      if (placeOf[g] >= 0) {
        int place = kept.size();
        kept.append(old, placeOf[g]);
        placeOf[g] = place;
      }
    }
  }

  @Override
  void merge(int[] groups, int count, Accumulator other) {
    add(groups, count, other.build(count));
  }

  @Override
  List<Type> stateTypes() {
    return List.of(type);
  }

  @Override
  List<Column> state(int groups) {
    return List.of(build(groups));
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {
    add(groups, count, state.get(0));
  }

  @Override
  Column build(int groups) {
    ensure(groups);
    return kept.build().gather(placeOf, groups);
  }

  @Override
  long sizeBytes() {
    return kept.sizeBytes() + 4L * placeOf.length;
  }
}

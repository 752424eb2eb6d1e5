package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.expr.ExpressionException;

/** SUM of decimals whose sums may have more digits than a long, and AVG of all decimals: exact. */
final class WideSum extends Accumulator {
  private static final List<Type> STATE = List.of(Type.BIGINT, Type.BIGINT, Type.BIGINT);

  private final boolean average;
  private final Type argument;
  private final Type type;
  private long[] high = new long[16];
  private long[] low = new long[16];
  private long[] counts = new long[16];

  /**
   * @param type of the result, a decimal
   */
  WideSum(boolean average, Type argument, Type type) {
    this.average = average;
    this.argument = argument;
    this.type = type;
  }

  @Override
  void ensure(int groups) {
    if (groups > counts.length) {
      int size = Math.max(groups, counts.length * 2);
      high = Arrays.copyOf(high, size);
      low = Arrays.copyOf(low, size);
      counts = Arrays.copyOf(counts, size);
    }
  }

  @Override
  void add(int[] groups, int rows, Column column) {
    boolean nulls = column.hasNulls();
    long overflow = 0;
    if (column instanceof WideColumn wide) {
      long[] h = wide.high();
      long[] l = wide.low();
      for (int i = 0; i < rows; i++) {
        if (!nulls || !column.isNull(i)) {
          overflow |= add(groups[i], h[i], l[i], 1);
        }
      }
    } else {
      long[] v = ((LongColumn) column).values();
      for (int i = 0; i < rows; i++) {
        if (!nulls || !column.isNull(i)) {
          overflow |= add(groups[i], v[i] >> 63, v[i], 1);
        }
      }
    }
    if (overflow < 0) {
      throw overflow();
    }
  }

  /** Gives a negative number when the sum has more than 127 bits. */
  private long add(int group, long moreHigh, long moreLow, long count) {
    long h = high[group];
    long l = low[group] + moreLow;
    long sum = Int128.highOfSum(h, moreHigh, low[group], l);
    low[group] = l;
    high[group] = sum;
    counts[group] += count;
    return (h ^ sum) & (moreHigh ^ sum);
  }

  @Override
  void merge(int[] groups, int count, Accumulator other) {
    WideSum theirs = (WideSum) other;
    addSums(groups, count, theirs.high, theirs.low, theirs.counts);
  }

  @Override
  List<Type> stateTypes() {
    return STATE;
  }

  @Override
  List<Column> state(int groups) {
    ensure(groups);
    return List.of(
        new LongColumn(Type.BIGINT, high, null, groups),
        new LongColumn(Type.BIGINT, low, null, groups),
        new LongColumn(Type.BIGINT, counts, null, groups));
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {
    addSums(groups, count, longs(state, 0), longs(state, 1), longs(state, 2));
  }

  private static long[] longs(List<Column> state, int at) {
    return ((LongColumn) state.get(at)).values();
  }

  private void addSums(int[] groups, int count, long[] h, long[] l, long[] n) {
    long overflow = 0;
    for (int g = 0; g < count; g++) {
      overflow |= add(groups[g], h[g], l[g], n[g]);
    }
    if (overflow < 0) {
      throw overflow();
    }
  }

  @Override
  Column build(int groups) {
    ensure(groups);
    long[] nulls = null;
    long[] outHigh = type.isWide() ? new long[groups] : null;
    long[] outLow = new long[groups];
    for (int g = 0; g < groups; g++) {
      if (counts[g] == 0) {
        nulls = nulls == null ? Bits.allocate(groups) : nulls;
        Bits.set(nulls, g);
      } else if (average) {
        Averages.put(high[g], low[g], counts[g], argument, type, outHigh, outLow, g);
      } else if (Int128.hasDigits(high[g], low[g], type.precision())) {
        outLow[g] = low[g];
        if (outHigh != null) {
          outHigh[g] = high[g];
        }
      } else {
        throw overflow();
      }
    }
    return outHigh == null
        ? new LongColumn(type, outLow, nulls, groups)
        : new WideColumn(type, outHigh, outLow, nulls, groups);
  }

  @Override
  long sizeBytes() {
    return 24L * counts.length;
  }

  private ExpressionException overflow() {
    return new ExpressionException(
        "%s of %s does not fit %s; cast the argument to double for an approximate one"
            .formatted(average ? "An average" : "A sum", argument, type));
  }
}

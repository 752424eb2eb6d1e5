package yardage.core.exec;

import yardage.core.column.*;
import yardage.core.exec.WindowStep.Function;
import yardage.core.expr.ExpressionException;

/**
 * COUNT, SUM and AVG over frames: what a frame holds is the difference of two running sums over the
 * partition. Whole numbers and decimals are exact, in 128 bits.
 */
final class WindowSums {
  private final Function function;
  private final Type type;
  private final Column argument;
  private final int rows;
  private final double[] doubles;
  private final long[] high;
  private final long[] low;
  private final long[] nulls;
  private boolean anyNull;

  private int first;
  private long[] count;
  private long[] runningHigh;
  private long[] runningLow;
  private double[] running;

  /**
   * @param argument null for {@code count(*)}
   */
  WindowSums(Function function, Type type, Column argument, int rows) {
    this.function = function;
    this.type = type;
    this.argument = argument;
    this.rows = rows;
    boolean inDoubles = type.isApproximate();
    doubles = inDoubles ? new double[rows] : null;
    low = inDoubles ? null : new long[rows];
    high = type.isWide() ? new long[rows] : null;
    nulls = Bits.allocate(Math.max(1, rows));
  }

  /** Begins a partition: {@code sorted[from, to)}, in their order. */
  void begin(int[] sorted, int from, int to) {
    int n = to - from;
    first = from;
    count = new long[n + 1];
    boolean sums = function != Function.COUNT;
    boolean exact = sums && !(argument instanceof DoubleColumn);
    runningHigh = exact ? new long[n + 1] : null;
    runningLow = exact ? new long[n + 1] : null;
    running = sums && !exact ? new double[n + 1] : null;
    for (int i = 0; i < n; i++) {
      int row = sorted[from + i];
      boolean there = argument == null || !argument.isNull(row);
      count[i + 1] = count[i] + (there ? 1 : 0);
      if (exact) {
        runningHigh[i + 1] = runningHigh[i];
        runningLow[i + 1] = runningLow[i];
        if (there) {
          add(i + 1, row);
        }
      } else if (sums) {
        running[i + 1] = running[i] + (there ? ((DoubleColumn) argument).values()[row] : 0);
      }
    }
  }

  private void add(int at, int row) {
    long moreLow;
    long moreHigh;
    if (argument instanceof WideColumn wide) {
      moreLow = wide.low()[row];
      moreHigh = wide.high()[row];
    } else {
      moreLow =
          argument instanceof IntColumn ints
              ? ints.values()[row]
              : ((LongColumn) argument).values()[row];
      moreHigh = moreLow >> 63;
    }
    long before = runningHigh[at];
    long sum = runningLow[at] + moreLow;
    long after = Int128.highOfSum(before, moreHigh, runningLow[at], sum);
    if (((before ^ after) & (moreHigh ^ after)) < 0) {
      throw overflow();
    }
    runningLow[at] = sum;
    runningHigh[at] = after;
  }

  /** Gives a row the rows {@code [a, b)} of the partition. */
  void give(int row, int a, int b) {
    long n = count[b - first] - count[a - first];
    if (function == Function.COUNT) {
      low[row] = n;
      return;
    }
    if (n == 0) {
      Bits.set(nulls, row);
      anyNull = true;
      return;
    }
    if (running != null) {
      double sum = running[b - first] - running[a - first];
      doubles[row] = function == Function.AVG ? sum / n : sum;
      return;
    }
    long aLow = runningLow[a - first];
    long bLow = runningLow[b - first];
    long sum = bLow - aLow;
    long sumHigh =
        Int128.highOfDifference(runningHigh[b - first], runningHigh[a - first], bLow, aLow);
    if (doubles != null) {
      doubles[row] = Int128.big(sumHigh, sum).doubleValue() / n;
    } else if (function == Function.AVG) {
      Averages.put(sumHigh, sum, n, argument.type(), type, high, low, row);
    } else {
      exactly(row, sumHigh, sum);
    }
  }

  private void exactly(int row, long sumHigh, long sum) {
    boolean fits =
        type.kind() == Type.Kind.DECIMAL
            ? Int128.hasDigits(sumHigh, sum, type.precision())
            : Int128.fitsLong(sumHigh, sum);
    if (!fits) {
      throw overflow();
    }
    low[row] = sum;
    if (high != null) {
      high[row] = sumHigh;
    }
  }

  private ExpressionException overflow() {
    return new ExpressionException(
        "A sum over a window does not fit %s; cast the argument to double for an approximate sum"
            .formatted(type));
  }

  Column build() {
    long[] bits = anyNull ? nulls : null;
    return doubles != null
        ? new DoubleColumn(doubles, bits, rows)
        : high != null
            ? new WideColumn(type, high, low, bits, rows)
            : new LongColumn(type, low, bits, rows);
  }
}

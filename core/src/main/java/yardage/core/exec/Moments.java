package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.plan.AggregateFunction;

/**
 * Variances: the mean and the sum of squared distances from it, kept up to date (Welford), and
 * merged as Chan, Golub and LeVeque do, so that large means do not swallow small distances.
 */
final class Moments extends Accumulator {
  private final AggregateFunction function;
  private long[] counts = new long[16];
  private double[] means = new double[16];
  private double[] squares = new double[16];

  Moments(AggregateFunction function) {
    this.function = function;
  }

  @Override
  void ensure(int groups) {
    if (groups > counts.length) {
      int size = Math.max(groups, counts.length * 2);
      counts = Arrays.copyOf(counts, size);
      means = Arrays.copyOf(means, size);
      squares = Arrays.copyOf(squares, size);
    }
  }

  @Override
  void add(int[] groups, int rows, Column argument) {
    double unit = unit(argument.type());
    for (int i = 0; i < rows; i++) {
      if (argument.isNull(i)) {
        continue;
      }
      double v = number(argument, i, unit);
      int g = groups[i];
      double distance = v - means[g];
      means[g] += distance / ++counts[g];
      squares[g] += distance * (v - means[g]);
    }
  }

  @Override
  void merge(int[] groups, int count, Accumulator other) {
    addState(groups, count, other.state(count));
  }

  @Override
  List<Type> stateTypes() {
    return List.of(Type.BIGINT, Type.DOUBLE, Type.DOUBLE);
  }

  @Override
  List<Column> state(int groups) {
    ensure(groups);
    return List.of(
        new LongColumn(Type.BIGINT, counts, null, groups),
        new DoubleColumn(means, null, groups),
        new DoubleColumn(squares, null, groups));
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {
    long[] theirs = ((LongColumn) state.get(0)).values();
    double[] m = ((DoubleColumn) state.get(1)).values();
    double[] s = ((DoubleColumn) state.get(2)).values();
    for (int t = 0; t < count; t++) {
      int g = groups[t];
      if (theirs[t] > 0) {
        long n = counts[g] + theirs[t];
        double distance = m[t] - means[g];
        squares[g] += s[t] + distance * distance * counts[g] * theirs[t] / n;
        means[g] += distance * theirs[t] / n;
        counts[g] = n;
      }
    }
  }

  @Override
  Column build(int groups) {
    ensure(groups);
    boolean sample =
        function == AggregateFunction.VAR_SAMP || function == AggregateFunction.STDDEV_SAMP;
    boolean root =
        function == AggregateFunction.STDDEV_POP || function == AggregateFunction.STDDEV_SAMP;
    double[] out = new double[groups];
    byte[] there = new byte[groups];
    for (int g = 0; g < groups; g++) {
      long n = counts[g] - (sample ? 1 : 0);
      if (n > 0) {
        there[g] = 1;
        out[g] = root ? Math.sqrt(squares[g] / n) : squares[g] / n;
      }
    }
    return new DoubleColumn(out, unseen(there, groups), groups);
  }

  @Override
  long sizeBytes() {
    return 24L * counts.length;
  }
}

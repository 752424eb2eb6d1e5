package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.Column;
import yardage.core.column.DoubleColumn;
import yardage.core.column.LongColumn;
import yardage.core.column.Type;
import yardage.core.expr.ExpressionException;
import yardage.core.plan.AggregateFunction;

/**
 * Covariance, correlation and the straight line of least squares, over pairs without a null: the
 * means, and the sums of squared distances from them and of their products, kept up to date
 * (Welford) and merged (Chan, Golub and LeVeque). The standard's order: the first argument is the
 * one that depends.
 */
final class CoMoments extends Accumulator {
  private static final int SUMS = 5;

  private final AggregateFunction function;
  private long[] counts = new long[16];

  /** Per group: both means, the squares of both, and the products. */
  private final double[][] sums = new double[SUMS][16];

  CoMoments(AggregateFunction function) {
    this.function = function;
  }

  @Override
  void ensure(int groups) {
    if (groups > counts.length) {
      int size = Math.max(groups, counts.length * 2);
      counts = Arrays.copyOf(counts, size);
      for (int s = 0; s < SUMS; s++) {
        sums[s] = Arrays.copyOf(sums[s], size);
      }
    }
  }

  @Override
  void add(int[] groups, int rows, Column argument) {
    throw new IllegalStateException(function + " takes two columns");
  }

  @Override
  void addOrdered(int[] groups, int rows, Column[] columns) {
    Column first = columns[0];
    Column second = columns[1];
    double firstUnit = unit(first.type());
    double secondUnit = unit(second.type());
    double[] firstMeans = sums[0];
    double[] secondMeans = sums[1];
    double[] firstSquares = sums[2];
    double[] secondSquares = sums[3];
    double[] products = sums[4];
    for (int i = 0; i < rows; i++) {
      if (first.isNull(i) || second.isNull(i)) {
        continue;
      }
      double y = number(first, i, firstUnit);
      double x = number(second, i, secondUnit);
      int g = groups[i];
      long n = ++counts[g];
      double dy = y - firstMeans[g];
      double dx = x - secondMeans[g];
      firstMeans[g] += dy / n;
      secondMeans[g] += dx / n;
      double rest = x - secondMeans[g];
      firstSquares[g] += dy * (y - firstMeans[g]);
      secondSquares[g] += dx * rest;
      products[g] += dy * rest;
    }
  }

  @Override
  void merge(int[] groups, int count, Accumulator other) {
    addState(groups, count, other.state(count));
  }

  @Override
  List<Type> stateTypes() {
    return List.of(Type.BIGINT, Type.DOUBLE, Type.DOUBLE, Type.DOUBLE, Type.DOUBLE, Type.DOUBLE);
  }

  @Override
  List<Column> state(int groups) {
    ensure(groups);
    Column[] out = new Column[1 + SUMS];
    out[0] = new LongColumn(Type.BIGINT, counts, null, groups);
    for (int s = 0; s < SUMS; s++) {
      out[s + 1] = new DoubleColumn(sums[s], null, groups);
    }
    return List.of(out);
  }

  @Override
  void addState(int[] groups, int count, List<Column> state) {
    long[] theirs = ((LongColumn) state.get(0)).values();
    double[][] t = new double[SUMS][];
    for (int s = 0; s < SUMS; s++) {
      t[s] = ((DoubleColumn) state.get(s + 1)).values();
    }
    for (int i = 0; i < count; i++) {
      if (theirs[i] == 0) {
        continue;
      }
      int g = groups[i];
      long n = counts[g] + theirs[i];
      double dy = t[0][i] - sums[0][g];
      double dx = t[1][i] - sums[1][g];
      double weight = (double) counts[g] * theirs[i] / n;
      sums[2][g] += t[2][i] + dy * dy * weight;
      sums[3][g] += t[3][i] + dx * dx * weight;
      sums[4][g] += t[4][i] + dy * dx * weight;
      sums[0][g] += dy * theirs[i] / n;
      sums[1][g] += dx * theirs[i] / n;
      counts[g] = n;
    }
  }

  @Override
  Column build(int groups) {
    ensure(groups);
    double[] out = new double[groups];
    byte[] there = new byte[groups];
    for (int g = 0; g < groups; g++) {
      if (isKnown(g)) {
        there[g] = 1;
        out[g] = value(g);
      }
    }
    return new DoubleColumn(out, unseen(there, groups), groups);
  }

  /** Null by SQL:2016, 10.9: of too few pairs, and where a number never changes. */
  private boolean isKnown(int g) {
    return switch (function) {
      case COVAR_POP, REGR_AVGX, REGR_AVGY, REGR_SXX, REGR_SYY, REGR_SXY -> counts[g] > 0;
      case COVAR_SAMP -> counts[g] > 1;
      case CORR -> sums[2][g] != 0 && sums[3][g] != 0;
      default -> sums[3][g] != 0;
    };
  }

  private double value(int g) {
    boolean isFinite = Double.isFinite(sums[0][g]) && Double.isFinite(sums[1][g]);
    if (isFinite && (Double.isInfinite(sums[2][g]) || Double.isInfinite(sums[3][g]))) {
      throw new ExpressionException(
          "The squares of what %s is given are too large for a double; divide it first"
              .formatted(function));
    }
    double yy = sums[2][g];
    double xx = sums[3][g];
    double xy = sums[4][g];
    return switch (function) {
      case COVAR_POP -> xy / counts[g];
      case COVAR_SAMP -> xy / (counts[g] - 1);
      // The root of each alone: the product of both may be too large or too small for a double.
      case CORR -> Math.max(-1, Math.min(1, xy / Math.sqrt(xx) / Math.sqrt(yy)));
      case REGR_SLOPE -> xy / xx;
      case REGR_INTERCEPT -> sums[0][g] - xy / xx * sums[1][g];
      case REGR_R2 -> yy == 0 ? 1 : Math.min(1, xy / xx * (xy / yy));
      case REGR_AVGX -> sums[1][g];
      case REGR_AVGY -> sums[0][g];
      case REGR_SXX -> xx;
      case REGR_SYY -> yy;
      case REGR_SXY -> xy;
      default -> throw new IllegalStateException(function + " takes one column");
    };
  }

  @Override
  long sizeBytes() {
    return (1L + SUMS) * Long.BYTES * counts.length;
  }
}

package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.expr.ExpressionException;
import yardage.core.plan.AggregateCall;

/**
 * The running values of one aggregate function, one per group. A batch is added with a group number
 * per row. Closed: one class for each kind of state.
 */
abstract sealed class Accumulator
    permits Accumulator.Count,
        Accumulator.LongSum,
        WideSum,
        Accumulator.DoubleSum,
        Moments,
        CoMoments,
        Distinct,
        Elsewhere,
        Foremost,
        Commonest,
        GatheredValues {
  /** Makes room for groups {@code [0, groups)}. */
  abstract void ensure(int groups);

  /**
   * Adds row {@code i} of {@code argument} to group {@code groups[i]}; {@code argument} is null for
   * {@code count(*)}.
   */
  abstract void add(int[] groups, int rows, Column argument);

  /** As {@link #add}, with the columns to order by behind the argument. */
  void addOrdered(int[] groups, int rows, Column[] columns) {
    add(groups, rows, columns[0]);
  }

  /** Adds another accumulator's group {@code g} to group {@code groups[g]} of this one. */
  abstract void merge(int[] groups, int count, Accumulator other);

  abstract Column build(int groups);

  abstract long sizeBytes();

  /** The types of {@link #state}. */
  abstract List<Type> stateTypes();

  /** What is known of groups {@code [0, groups)}, as columns that can be written and read again. */
  abstract List<Column> state(int groups);

  /** Adds row {@code g} of a {@link #state} to group {@code groups[g]}. */
  abstract void addState(int[] groups, int count, List<Column> state);

  /**
   * @param types of the argument, then of the columns to order by
   */
  static Accumulator of(AggregateCall call, CancelToken cancel, Type... types) {
    Type argument = types[0];
    boolean overDistinct =
        switch (call.function().family()) {
          case COUNT, SUM, AVG, MOMENTS, SINGLE -> call.distinct();
          // Extremes are the same; pairs take no DISTINCT; the others see to it themselves.
          case EXTREME, PAIRS, FOREMOST, COMMONEST, RANKED, JOINED, PERCENTILE, LIST -> false;
        };
    if (overDistinct) {
      return new Distinct(call, cancel, argument);
    }
    return switch (call.function().family()) {
      case COUNT -> new Count();
      case SUM ->
          argument.isApproximate()
              ? new DoubleSum(false)
              : call.type().isWide() || argument.isWide()
                  ? new WideSum(false, argument, call.type())
                  : new LongSum(call.type());
      case AVG ->
          call.type().kind() == Type.Kind.DECIMAL
              ? new WideSum(true, argument, call.type())
              : new DoubleSum(true);
      case MOMENTS -> new Moments(call.function());
      case PAIRS -> new CoMoments(call.function());
      case EXTREME, SINGLE, FOREMOST -> new Foremost(call, types);
      case COMMONEST ->
          argument.isNested()
              ? new GatheredValues(call, cancel, types)
              : new Commonest(argument, call.distinct());
      case RANKED, JOINED, PERCENTILE, LIST -> new GatheredValues(call, cancel, types);
    };
  }

  /** COUNT. */
  static final class Count extends Accumulator {
    private long[] counts = new long[16];

    @Override
    void ensure(int groups) {
      if (groups > counts.length) {
        counts = Arrays.copyOf(counts, Math.max(groups, counts.length * 2));
      }
    }

    @Override
    void add(int[] groups, int rows, Column argument) {
      long[] c = counts;
      if (argument == null || !argument.hasNulls()) {
        for (int i = 0; i < rows; i++) {
          c[groups[i]]++;
        }
      } else {
        for (int i = 0; i < rows; i++) {
          c[groups[i]] += argument.isNull(i) ? 0 : 1;
        }
      }
    }

    @Override
    void merge(int[] groups, int count, Accumulator other) {
      long[] theirs = ((Count) other).counts;
      for (int g = 0; g < count; g++) {
        counts[groups[g]] += theirs[g];
      }
    }

    @Override
    Column build(int groups) {
      ensure(groups);
      return new LongColumn(Type.BIGINT, counts, null, groups);
    }

    @Override
    List<Type> stateTypes() {
      return List.of(Type.BIGINT);
    }

    @Override
    List<Column> state(int groups) {
      return List.of(build(groups));
    }

    @Override
    void addState(int[] groups, int count, List<Column> state) {
      long[] theirs = ((LongColumn) state.get(0)).values();
      for (int g = 0; g < count; g++) {
        counts[groups[g]] += theirs[g];
      }
    }

    @Override
    long sizeBytes() {
      return 8L * counts.length;
    }
  }

  /**
   * SUM of whole numbers, and of decimals whose sum is held in a long: exact, and an error rather
   * than a wrapped number.
   */
  static final class LongSum extends Accumulator {
    private final Type type;

    /** So many values whose upper bits are unused add up to a long without a look at each sum. */
    private static final int FEW_ROWS = 1 << 13;

    private static final int UPPER_BITS = 50;

    private long[] sums = new long[16];
    private byte[] seen = new byte[16];

    /** All groups below have seen a value: nothing has to be noted for them. */
    private int seenBelow;

    private int groupCount;

    LongSum(Type type) {
      this.type = type;
    }

    @Override
    void ensure(int groups) {
      groupCount = Math.max(groupCount, groups);
      if (groups > sums.length) {
        int size = Math.max(groups, sums.length * 2);
        sums = Arrays.copyOf(sums, size);
        seen = Arrays.copyOf(seen, size);
      }
    }

    /**
     * Adds all values to the one group, where that can be done without a look at each sum: a
     * quarter of the samples of a sum over 20 M rows were in those.
     */
    private boolean addToOne(long[] values, int rows) {
      if (groupCount > 1 || rows > FEW_ROWS || rows == 0) {
        return false;
      }
      long bits = 0;
      long sum = 0;
      for (int i = 0; i < rows; i++) {
        long v = values[i];
        bits |= v ^ v >> 63;
        sum += v;
      }
      long before = sums[0];
      long after = before + sum;
      if (bits >>> UPPER_BITS != 0 || ((before ^ after) & (sum ^ after)) < 0) {
        return false;
      }
      sums[0] = after;
      seen[0] = 1;
      return true;
    }

    @Override
    void add(int[] groups, int rows, Column argument) {
      long[] s = sums;
      byte[] any = seen;
      int below = seenBelow;
      long overflow = 0;
      boolean nulls = argument.hasNulls();
      if (argument instanceof IntColumn c) {
        int[] v = c.values();
        for (int i = 0; i < rows; i++) {
          if (nulls && argument.isNull(i)) {
            continue;
          }
          int g = groups[i];
          long before = s[g];
          long after = before + v[i];
          overflow |= (before ^ after) & (v[i] ^ after);
          s[g] = after;
          if (g >= below) {
            any[g] = 1;
          }
        }
      } else {
        long[] v = ((LongColumn) argument).values();
        if (!nulls && addToOne(v, rows)) {
          return;
        }
        for (int i = 0; i < rows; i++) {
          if (nulls && argument.isNull(i)) {
            continue;
          }
          int g = groups[i];
          long before = s[g];
          long after = before + v[i];
          overflow |= (before ^ after) & (v[i] ^ after);
          s[g] = after;
          if (g >= below) {
            any[g] = 1;
          }
        }
      }
      while (seenBelow < groupCount && any[seenBelow] != 0) {
        seenBelow++;
      }
      if (overflow < 0) {
        throw overflow();
      }
    }

    @Override
    void merge(int[] groups, int count, Accumulator other) {
      LongSum o = (LongSum) other;
      for (int g = 0; g < count; g++) {
        if (o.seen[g] != 0) {
          try {
            sums[groups[g]] = Math.addExact(sums[groups[g]], o.sums[g]);
          } catch (ArithmeticException e) {
            throw overflow();
          }
          seen[groups[g]] = 1;
        }
      }
    }

    @Override
    List<Type> stateTypes() {
      return List.of(Type.BIGINT);
    }

    @Override
    List<Column> state(int groups) {
      ensure(groups);
      return List.of(new LongColumn(Type.BIGINT, sums, unseen(seen, groups), groups));
    }

    @Override
    void addState(int[] groups, int count, List<Column> state) {
      add(groups, count, state.get(0));
    }

    private ExpressionException overflow() {
      return new ExpressionException(
          "A sum does not fit %s; cast the argument to double for an approximate sum"
              .formatted(type));
    }

    @Override
    Column build(int groups) {
      ensure(groups);
      if (type.kind() == Type.Kind.DECIMAL) {
        long limit = Values.powerOfTen(type.precision());
        for (int g = 0; g < groups; g++) {
          if (sums[g] >= limit || sums[g] <= -limit) {
            throw overflow();
          }
        }
      }
      return new LongColumn(type, sums, unseen(seen, groups), groups);
    }

    @Override
    long sizeBytes() {
      return 9L * sums.length;
    }
  }

  /** SUM of doubles, and AVG of whole numbers and doubles. */
  static final class DoubleSum extends Accumulator {
    private final boolean average;
    private double[] sums = new double[16];
    private long[] counts = new long[16];

    DoubleSum(boolean average) {
      this.average = average;
    }

    @Override
    void ensure(int groups) {
      if (groups > sums.length) {
        int size = Math.max(groups, sums.length * 2);
        sums = Arrays.copyOf(sums, size);
        counts = Arrays.copyOf(counts, size);
      }
    }

    @Override
    void add(int[] groups, int rows, Column argument) {
      boolean nulls = argument.hasNulls();
      double unit = unit(argument.type());
      for (int i = 0; i < rows; i++) {
        if (nulls && argument.isNull(i)) {
          continue;
        }
        double v = number(argument, i, unit);
        sums[groups[i]] += v;
        counts[groups[i]]++;
      }
    }

    @Override
    void merge(int[] groups, int count, Accumulator other) {
      DoubleSum o = (DoubleSum) other;
      for (int g = 0; g < count; g++) {
        sums[groups[g]] += o.sums[g];
        counts[groups[g]] += o.counts[g];
      }
    }

    @Override
    List<Type> stateTypes() {
      return List.of(Type.DOUBLE, Type.BIGINT);
    }

    @Override
    List<Column> state(int groups) {
      ensure(groups);
      return List.of(
          new DoubleColumn(sums, null, groups), new LongColumn(Type.BIGINT, counts, null, groups));
    }

    @Override
    void addState(int[] groups, int count, List<Column> state) {
      double[] s = ((DoubleColumn) state.get(0)).values();
      long[] n = ((LongColumn) state.get(1)).values();
      for (int g = 0; g < count; g++) {
        sums[groups[g]] += s[g];
        counts[groups[g]] += n[g];
      }
    }

    @Override
    Column build(int groups) {
      ensure(groups);
      double[] out = new double[groups];
      long[] nulls = null;
      for (int g = 0; g < groups; g++) {
        if (counts[g] == 0) {
          nulls = nulls == null ? Bits.allocate(groups) : nulls;
          Bits.set(nulls, g);
        } else {
          out[g] = average ? sums[g] / counts[g] : sums[g];
        }
      }
      return new DoubleColumn(out, nulls, groups);
    }

    @Override
    long sizeBytes() {
      return 16L * sums.length;
    }
  }

  /** Ten to the power of a narrow decimal's scale. */
  static double unit(Type type) {
    return type.isWide() ? 1 : Values.powerOfTen(type.scale());
  }

  /** A number as a double. */
  static double number(Column argument, int row, double unit) {
    return argument instanceof DoubleColumn d
        ? d.values()[row]
        : argument instanceof IntColumn c
            ? c.values()[row]
            : argument instanceof WideColumn w
                ? w.decimal(row).doubleValue()
                : ((LongColumn) argument).values()[row] / unit;
  }

  static long[] unseen(byte[] seen, int groups) {
    long[] nulls = null;
    for (int g = 0; g < groups; g++) {
      if (seen[g] == 0) {
        nulls = nulls == null ? Bits.allocate(groups) : nulls;
        Bits.set(nulls, g);
      }
    }
    return nulls;
  }
}

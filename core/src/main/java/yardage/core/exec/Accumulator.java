package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.expr.ExpressionException;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;

/**
 * The running values of one aggregate function, one per group. A batch is added with a group number
 * per row. Closed: one class for each kind of state.
 */
abstract sealed class Accumulator
    permits Accumulator.Count,
        Accumulator.LongSum,
        WideSum,
        Accumulator.DoubleSum,
        Accumulator.Moments,
        CoMoments,
        Accumulator.Extreme,
        Accumulator.Distinct,
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
        switch (call.function()) {
          case COUNT, SUM, AVG, VAR_POP, VAR_SAMP, STDDEV_POP, STDDEV_SAMP, SINGLE_VALUE ->
              call.distinct();
          // The extremes of distinct values are those of all; gathered values see to it themselves.
          case MIN, MAX, FIRST, LAST, MODE, JOINED, PERCENTILE, LIST -> false;
          case COVAR_POP, COVAR_SAMP, CORR, REGR_SLOPE, REGR_INTERCEPT, REGR_R2 -> false;
        };
    if (overDistinct) {
      return new Distinct(call, cancel, argument);
    }
    return switch (call.function()) {
      case COUNT -> new Count();
      case SUM ->
          argument.kind() == Type.Kind.DOUBLE
              ? new DoubleSum(false)
              : call.type().isWide() || argument.isWide()
                  ? new WideSum(false, argument, call.type())
                  : new LongSum(call.type());
      case AVG ->
          call.type().kind() == Type.Kind.DECIMAL
              ? new WideSum(true, argument, call.type())
              : new DoubleSum(true);
      case MIN, MAX, SINGLE_VALUE -> new Extreme(call.function(), argument);
      case VAR_POP, VAR_SAMP, STDDEV_POP, STDDEV_SAMP -> new Moments(call.function());
      case COVAR_POP, COVAR_SAMP, CORR, REGR_SLOPE, REGR_INTERCEPT, REGR_R2 ->
          new CoMoments(call.function());
      case FIRST, LAST, MODE, JOINED, PERCENTILE, LIST -> new GatheredValues(call, cancel, types);
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
    private long[] sums = new long[16];
    private byte[] seen = new byte[16];

    LongSum(Type type) {
      this.type = type;
    }

    @Override
    void ensure(int groups) {
      if (groups > sums.length) {
        int size = Math.max(groups, sums.length * 2);
        sums = Arrays.copyOf(sums, size);
        seen = Arrays.copyOf(seen, size);
      }
    }

    @Override
    void add(int[] groups, int rows, Column argument) {
      long[] s = sums;
      byte[] any = seen;
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
          any[g] = 1;
        }
      } else {
        long[] v = ((LongColumn) argument).values();
        for (int i = 0; i < rows; i++) {
          if (nulls && argument.isNull(i)) {
            continue;
          }
          int g = groups[i];
          long before = s[g];
          long after = before + v[i];
          overflow |= (before ^ after) & (v[i] ^ after);
          s[g] = after;
          any[g] = 1;
        }
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

  /**
   * Variances: the mean and the sum of squared distances from it, kept up to date (Welford), and
   * merged as Chan, Golub and LeVeque do, so that large means do not swallow small distances.
   */
  static final class Moments extends Accumulator {
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

  /**
   * MIN, MAX and the single value of a scalar subquery: one row kept per group, in a store that is
   * rewritten when half of it is stale.
   */
  static final class Extreme extends Accumulator {
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

  /**
   * Any function over the distinct values of each group: remembers them all, and computes at the
   * end.
   */
  static final class Distinct extends Accumulator {
    private final AggregateCall call;
    private final CancelToken cancel;
    private final Type argument;
    private final KeyTable pairs;
    private int[] numbers = new int[0];

    Distinct(AggregateCall call, CancelToken cancel, Type argument) {
      this.cancel = cancel;
      this.call = call;
      this.argument = argument;
      this.pairs = new KeyTable(new Type[] {Type.INT, argument});
    }

    @Override
    void ensure(int groups) {}

    @Override
    void add(int[] groups, int rows, Column values) {
      Column groupColumn = new IntColumn(Type.INT, groups, null, rows);
      if (values.hasNulls()) {
        int[] present = new int[rows];
        int n = 0;
        for (int i = 0; i < rows; i++) {
          if (!values.isNull(i)) {
            present[n++] = i;
          }
        }
        groupColumn = groupColumn.gather(present, n);
        values = values.gather(present, n);
        rows = n;
      }
      if (numbers.length < rows) {
        numbers = new int[rows];
      }
      pairs.numberOf(new Column[] {groupColumn, values}, rows, numbers);
    }

    @Override
    void merge(int[] groups, int count, Accumulator other) {
      Column[] theirs = ((Distinct) other).pairs.build();
      int rows = theirs[0].size();
      int[] old = ((IntColumn) theirs[0]).values();
      int[] mapped = new int[rows];
      for (int i = 0; i < rows; i++) {
        mapped[i] = groups[old[i]];
      }
      add(mapped, rows, theirs[1]);
    }

    @Override
    List<Type> stateTypes() {
      return List.of(Type.list(argument));
    }

    @Override
    List<Column> state(int groups) {
      Column[] distinct = pairs.build();
      return Groupings.lists(
          ((IntColumn) distinct[0]).values(), distinct[0].size(), groups, List.of(distinct[1]));
    }

    @Override
    void addState(int[] groups, int count, List<Column> state) {
      ListColumn lists = (ListColumn) state.get(0);
      add(Groupings.owners(lists, groups, count), lists.elements().size(), lists.elements());
    }

    @Override
    Column build(int groups) {
      Column[] distinct = pairs.build();
      Accumulator plain =
          of(new AggregateCall(call.function(), 0, false, -1, call.type()), cancel, argument);
      plain.ensure(groups);
      plain.add(((IntColumn) distinct[0]).values(), distinct[0].size(), distinct[1]);
      return plain.build(groups);
    }

    @Override
    long sizeBytes() {
      return pairs.sizeBytes();
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

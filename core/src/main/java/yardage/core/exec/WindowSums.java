package yardage.core.exec;

import yardage.core.column.*;
import yardage.core.expr.ExpressionException;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;

/**
 * COUNT, SUM and AVG over frames. Whole numbers and decimals are exact, in 128 bits. Others are
 * summed in pairs of doubles (Dekker, A floating-point technique for extending the available
 * precision, 1971), and values that are not finite are counted apart, so that a frame never sees
 * what left it.
 */
abstract sealed class WindowSums extends WindowFunction {
  private final AggregateFunction function;
  private final Type type;

  /** Of the argument; of {@code count(*)} that of a count. */
  private final Type argument;

  private double[] doubles;
  private long[] high;
  private long[] low;
  private long[] nulls;
  private boolean anyNull;

  private WindowSums(AggregateCall call, Type argument) {
    this.function = call.function();
    this.type = call.type();
    this.argument = argument;
  }

  @Override
  final void start(int rows) {
    boolean inDoubles = type.isApproximate();
    doubles = inDoubles ? new double[rows] : null;
    low = inDoubles ? null : new long[rows];
    high = type.isWide() ? new long[rows] : null;
    nulls = Bits.allocate(Math.max(1, rows));
    anyNull = false;
  }

  @Override
  final Column end() {
    long[] bits = anyNull ? nulls : null;
    return doubles != null
        ? new DoubleColumn(type, doubles, bits, doubles.length)
        : high != null
            ? new WideColumn(type, high, low, bits, low.length)
            : new LongColumn(type, low, bits, low.length);
  }

  /** What some values come to. */
  static final class Sum {
    private final boolean counts;
    private final boolean exact;
    private long count;
    private long low;
    private long high;
    private double sum;

    /** What the additions so far have lost of {@link #sum}. */
    private double rest;

    private long notNumbers;
    private long positive;
    private long negative;

    /**
     * @param argument what is summed
     */
    Sum(AggregateFunction function, Type argument) {
      counts = function == AggregateFunction.COUNT;
      exact = !argument.isApproximate();
    }

    void clear() {
      count = low = high = notNumbers = positive = negative = 0;
      sum = rest = 0;
    }

    /**
     * @param by 1 to add the value of a row, -1 to take it out again
     * @return false when it does not fit 128 bits
     */
    boolean add(Column column, int row, int by) {
      count += by;
      if (counts) {
        return true;
      }
      if (!exact) {
        add(((DoubleColumn) column).values()[row], by);
        return true;
      }
      long moreLow;
      long moreHigh;
      if (column instanceof WideColumn wide) {
        moreLow = wide.low()[row];
        moreHigh = wide.high()[row];
      } else {
        moreLow = Values.whole(column, row);
        moreHigh = moreLow >> 63;
      }
      long lowBefore = low;
      long before = high;
      if (by > 0) {
        low = lowBefore + moreLow;
        high = Int128.highOfSum(before, moreHigh, lowBefore, low);
        return ((before ^ high) & (moreHigh ^ high)) >= 0;
      }
      low = lowBefore - moreLow;
      high = Int128.highOfDifference(before, moreHigh, lowBefore, moreLow);
      return ((before ^ moreHigh) & (before ^ high)) >= 0;
    }

    private void add(double value, int by) {
      if (Double.isNaN(value)) {
        notNumbers += by;
      } else if (Double.isInfinite(value)) {
        positive += value > 0 ? by : 0;
        negative += value < 0 ? by : 0;
      } else {
        addFinite(by > 0 ? value : -value);
      }
    }

    private void addFinite(double value) {
      double total = sum + value;
      double part = total - sum;
      rest += (sum - (total - part)) + (value - part);
      sum = total;
    }

    /** The values of this that are not in another, which has some of the same. */
    double minus(Sum other) {
      long none = notNumbers - other.notNumbers;
      long up = positive - other.positive;
      long down = negative - other.negative;
      if (none > 0 || up > 0 && down > 0) {
        return Double.NaN;
      } else if (up > 0 || down > 0) {
        return up > 0 ? Double.POSITIVE_INFINITY : Double.NEGATIVE_INFINITY;
      }
      return (sum - other.sum) + (rest - other.rest);
    }
  }

  /** Puts what is in one sum and not in another in a row's place. */
  final void put(int row, Sum all, Sum without) {
    long n = all.count - without.count;
    if (function == AggregateFunction.COUNT) {
      low[row] = n;
      return;
    }
    if (n == 0) {
      Bits.set(nulls, row);
      anyNull = true;
      return;
    }
    if (!all.exact) {
      double sum = all.minus(without);
      doubles[row] = function == AggregateFunction.AVG ? sum / n : sum;
      return;
    }
    long sum = all.low - without.low;
    long sumHigh = Int128.highOfDifference(all.high, without.high, all.low, without.low);
    if (doubles != null) {
      doubles[row] = Int128.big(sumHigh, sum).doubleValue() / n;
    } else if (function == AggregateFunction.AVG) {
      Averages.put(sumHigh, sum, n, argument, type, high, low, row);
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

  final ExpressionException overflow() {
    return new ExpressionException(
        "A sum over a window does not fit %s; cast the argument to double for an approximate sum"
            .formatted(type));
  }

  private static Type argument(AggregateCall call, WindowRows rows) {
    return call.argument() < 0 ? Type.BIGINT : rows.types().get(call.argument());
  }

  /** Over all rows of a frame: what was summed up to its end, less what was up to its beginning. */
  static final class OfAll extends WindowSums {
    private final AggregateCall call;
    private final WindowFrames frames;
    private final Running from;
    private final Running to;

    OfAll(AggregateCall call, WindowRows rows, WindowFrames frames) {
      super(call, argument(call, rows));
      this.call = call;
      this.frames = frames;
      from = new Running(rows);
      to = new Running(rows);
    }

    @Override
    void partition(long first, long end) {
      frames.partition(first, end);
      from.begin(first);
      to.begin(first);
    }

    @Override
    void give(WindowBlock block, int first, int end) {
      for (int r = first; r < end; r++) {
        frames.find(block, r);
        from.upTo(frames.from());
        to.upTo(frames.to());
        put(r, to.sum, from.sum);
      }
    }

    /** The sum of a partition's rows up to a place. */
    private final class Running {
      private final WindowRows.Cursor cursor;
      private final Sum sum;
      private long place;

      Running(WindowRows rows) {
        cursor = rows.cursor();
        sum = new Sum(call.function(), argument(call, rows));
      }

      void begin(long at) {
        place = at;
        sum.clear();
      }

      void upTo(long to) {
        if (call.argument() < 0) {
          sum.count += to - place;
          place = to;
          return;
        }
        for (; place < to; place++) {
          cursor.to(place);
          Column column = cursor.columns().get(call.argument());
          if (!column.isNull(cursor.row()) && !sum.add(column, cursor.row(), 1)) {
            throw overflow();
          }
        }
      }
    }
  }

  /** Each value of a frame once: how often it is there is kept. */
  static final class OfDistinct extends WindowSums {
    private static final long BYTES_A_VALUE = 64;

    private final AggregateCall call;
    private final WindowRows rows;
    private final WindowFrames frames;
    private final WindowMemory memory;
    private final Type[] types;
    private final Sum nothing;
    private final Sum sum;
    private KeyTable values;
    private long valueBytes;
    private int[] count = new int[16];
    private int[] numbers = new int[0];
    private long from;
    private long to;

    OfDistinct(AggregateCall call, WindowRows rows, WindowFrames frames, WindowMemory memory) {
      super(call, argument(call, rows));
      this.call = call;
      this.rows = rows;
      this.frames = frames;
      this.memory = memory;
      types = new Type[] {argument(call, rows)};
      sum = new Sum(call.function(), types[0]);
      nothing = new Sum(call.function(), types[0]);
      values = new KeyTable(types);
    }

    @Override
    void partition(long first, long end) {
      frames.partition(first, end);
      from = first;
      to = first;
      sum.clear();
      memory.add(-valueBytes);
      valueBytes = 0;
      values = new KeyTable(types);
      count = new int[16];
    }

    @Override
    void give(WindowBlock block, int first, int end) {
      for (int r = first; r < end; r++) {
        frames.find(block, r);
        if (frames.from() >= to) {
          // Nothing is in both frames.
          see(from, to, -1);
          to = frames.from();
        } else {
          see(from, frames.from(), -1);
        }
        from = frames.from();
        see(to, frames.to(), 1);
        to = Math.max(to, frames.to());
        put(r, sum, nothing);
      }
    }

    /** Takes rows in, or out. */
    private void see(long first, long end, int by) {
      Column[] column = new Column[1];
      int[] ordinals = {call.argument()};
      for (long at = first; at < end; ) {
        int n = rows.piece(at, end, ordinals, column);
        at += n;
        long most = values.sizeBytes() + 2 * column[0].sizeBytes() + BYTES_A_VALUE * n;
        if (by > 0 && most > valueBytes) {
          memory.add(most - valueBytes);
          valueBytes = most;
        }
        numbers = numbers.length < n ? new int[n] : numbers;
        values.numberOf(column, n, numbers);
        if (values.count() > count.length) {
          count = java.util.Arrays.copyOf(count, Math.max(values.count(), 2 * count.length));
        }
        for (int i = 0; i < n; i++) {
          if (column[0].isNull(i)) {
            continue;
          }
          int before = count[numbers[i]];
          count[numbers[i]] += by;
          boolean changes = by > 0 ? before == 0 : before == 1;
          if (changes && !sum.add(column[0], i, by)) {
            throw overflow();
          }
        }
      }
    }
  }
}

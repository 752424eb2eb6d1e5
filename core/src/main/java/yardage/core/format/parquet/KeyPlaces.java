package yardage.core.format.parquet;

import java.lang.ref.WeakReference;
import java.util.Arrays;
import java.util.Optional;
import java.util.function.Consumer;
import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.IntColumn;
import yardage.core.column.LongColumn;
import yardage.core.plan.KeyBits;

/**
 * Where the whole numbers of a column of a row group are: its rows by ranges of values that lie
 * side by side, so that rows of few keys are found without a look at the others. Sorted by counting
 * (Knuth, The Art of Computer Programming, volume 3, 5.2). Thread-safe.
 */
final class KeyPlaces {
  /** More than one of so many rows are read faster than looked up. */
  private static final int LEAST_ROWS_A_FOUND_ONE = 16;

  private final Shape shape;

  /** Where the rows of each range begin in {@code rows}, and where the last one ends. */
  private final int[] starts;

  private final int[] rows;

  private final int lastRow;
  private Answer last = new Answer(new WeakReference<>(null), false, Optional.empty());

  /** A query asks the same for each part of the rows. */
  private record Answer(WeakReference<KeyBits> asked, boolean once, Optional<int[]> rows) {}

  /** Gives all values of a column, in order, in parts: of ints or longs. */
  interface Values {
    void each(Consumer<Column> taker);
  }

  /**
   * How values are divided.
   *
   * @param count how many there are, without nulls
   * @param smallest of them
   * @param shift a range has two to the power of this
   */
  record Shape(int count, long smallest, int shift, int ranges) {
    /** Empty when all are null, or lie further apart than a long can say. */
    static Optional<Shape> of(Values values) {
      Bounds b = new Bounds();
      values.each(b::add);
      long apart = b.largest - b.smallest;
      if (b.count == 0 || apart < 0) {
        return Optional.empty();
      }
      int shift = 0;
      while (apart >>> shift >= b.count) {
        shift++;
      }
      return Optional.of(new Shape(b.count, b.smallest, shift, (int) (apart >>> shift) + 1));
    }

    private int range(long value) {
      return (int) (value - smallest >>> shift);
    }

    /** What the places take, with one answer. */
    long bytes() {
      return 4L * (ranges + 1L + count + count / LEAST_ROWS_A_FOUND_ONE) + 200;
    }
  }

  private static final class Bounds {
    private int count;
    private long smallest = Long.MAX_VALUE;
    private long largest = Long.MIN_VALUE;

    private void add(Column values) {
      for (int r = 0; r < values.size(); r++) {
        if (!values.isNull(r)) {
          long v = value(values, r);
          smallest = Math.min(smallest, v);
          largest = Math.max(largest, v);
          count++;
        }
      }
    }
  }

  KeyPlaces(Shape shape, Values values) {
    this.shape = shape;
    starts = new int[shape.ranges() + 1];
    rows = new int[shape.count()];
    values.each(
        column -> {
          for (int r = 0; r < column.size(); r++) {
            if (!column.isNull(r)) {
              starts[shape.range(value(column, r))]++;
            }
          }
        });
    int end = 0;
    for (int i = 0; i < starts.length; i++) {
      end += starts[i];
      starts[i] = end;
    }
    int[] row = {0};
    values.each(
        column -> {
          for (int r = 0; r < column.size(); r++, row[0]++) {
            if (!column.isNull(r)) {
              // Counted back, so that the start is left, and the first row comes last.
              rows[--starts[shape.range(value(column, r))]] = row[0];
            }
          }
        });
    lastRow = row[0] - 1;
  }

  private static long value(Column column, int row) {
    return column instanceof IntColumn ints
        ? ints.values()[row]
        : ((LongColumn) column).values()[row];
  }

  /**
   * The rows that may have one of some keys, in order: all that have one, and others whose values
   * are near; empty when so many are read faster.
   *
   * @param once whether one row of each key is enough
   */
  synchronized Optional<int[]> of(KeyBits keys, boolean once) {
    if (last.asked().get() != keys || last.once() != once) {
      last = new Answer(new WeakReference<>(keys), once, find(keys, once));
    }
    return last.rows();
  }

  private Optional<int[]> find(KeyBits keys, boolean once) {
    // Where a range has several values, its first row may have another.
    Finder finder = new Finder(once && shape.shift() == 0);
    keys.forEach(finder::add);
    if (finder.count > finder.found.length) {
      return Optional.empty();
    }
    return Optional.of(inOrder(Arrays.copyOf(finder.found, finder.count)));
  }

  /** Many are marked and read off, which takes a step for 64 rows of the chunk. */
  private int[] inOrder(int[] some) {
    if (some.length < lastRow >> 7) {
      Arrays.sort(some);
      return some;
    }
    long[] marks = Bits.allocate(lastRow + 1);
    for (int row : some) {
      Bits.set(marks, row);
    }
    int n = 0;
    for (int w = 0; w < marks.length; w++) {
      for (long left = marks[w]; left != 0; left &= left - 1) {
        some[n++] = (w << 6) + Long.numberOfTrailingZeros(left);
      }
    }
    return some;
  }

  private final class Finder {
    private final int[] found = new int[rows.length / LEAST_ROWS_A_FOUND_ONE];
    private final boolean once;
    private int count;
    private long lastRange = -1;

    Finder(boolean once) {
      this.once = once;
    }

    private void add(long key) {
      long range = key - shape.smallest() >>> shape.shift();
      // Keys come in order, and several may lie in one range.
      if (key < shape.smallest() || range >= shape.ranges() || range == lastRange) {
        return;
      }
      lastRange = range;
      int from = starts[(int) range];
      int all = starts[(int) range + 1] - from;
      int n = once ? Math.min(all, 1) : all;
      if (count + n <= found.length) {
        System.arraycopy(rows, from, found, count, n);
      }
      count = Math.min(count + n, found.length + 1);
    }
  }
}

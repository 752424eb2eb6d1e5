package yardage.core.format.parquet;

import java.lang.ref.WeakReference;
import java.util.Arrays;
import java.util.Optional;
import java.util.function.Consumer;
import yardage.core.column.Bits;
import yardage.core.column.Bounds;
import yardage.core.column.Column;
import yardage.core.column.Values;
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
  interface Parts {
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
    static Optional<Shape> of(Parts parts) {
      Bounds[] all = {Bounds.NONE};
      int[] count = {0};
      parts.each(
          part -> {
            all[0] = all[0].and(Bounds.of(part).orElseThrow());
            count[0] += part.size() - Bits.count(part.nulls(), part.size());
          });
      Bounds b = all[0];
      long apart = b.largest() - b.smallest();
      if (b.isNone() || apart < 0) {
        return Optional.empty();
      }
      int shift = 0;
      while (apart >>> shift >= count[0]) {
        shift++;
      }
      return Optional.of(new Shape(count[0], b.smallest(), shift, (int) (apart >>> shift) + 1));
    }

    private int range(long value) {
      return (int) (value - smallest >>> shift);
    }

    /** What the places take, with one answer. */
    long bytes() {
      return 4L * (ranges + 1L + count + count / LEAST_ROWS_A_FOUND_ONE) + 200;
    }
  }

  KeyPlaces(Shape shape, Parts parts) {
    this.shape = shape;
    starts = new int[shape.ranges() + 1];
    rows = new int[shape.count()];
    parts.each(
        column -> {
          for (int r = 0; r < column.size(); r++) {
            if (!column.isNull(r)) {
              starts[shape.range(Values.whole(column, r))]++;
            }
          }
        });
    int end = 0;
    for (int i = 0; i < starts.length; i++) {
      end += starts[i];
      starts[i] = end;
    }
    int[] row = {0};
    parts.each(
        column -> {
          for (int r = 0; r < column.size(); r++, row[0]++) {
            if (!column.isNull(r)) {
              // Counted back, so that the start is left, and the first row comes last.
              rows[--starts[shape.range(Values.whole(column, r))]] = row[0];
            }
          }
        });
    lastRow = row[0] - 1;
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
    int[] n = {0};
    Bits.forEach(marks, row -> some[n[0]++] = row);
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

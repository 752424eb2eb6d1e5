package yardage.core.format.parquet;

import java.io.IOException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import yardage.core.column.Column;

/**
 * Finds the rows of a row group that count before their other columns are decoded. A condition that
 * leaves most rows is not looked at any more. One thread at a time.
 */
final class RowSieve {
  private static final int[] ALL = IntStream.range(0, ChunkEncoder.PAGE_ROWS).toArray();

  /** After so many rows a condition has to have left out a quarter of them. */
  private static final int TRIED_ROWS = 2 * ChunkEncoder.PAGE_ROWS;

  /** Tried in this order. */
  private final List<Condition> conditions;

  /** Rows of the row group that may count, in order; empty when all may. */
  private final Optional<int[]> found;

  /** Of the next row, in the row group. */
  private long at;

  private int nextFound;
  private boolean isOrdered;
  private final int[] places = new int[ChunkEncoder.PAGE_ROWS];

  private static final class Condition {
    private final PagedColumn column;
    private final ValueTest test;
    private long seen;
    private long left;

    Condition(PagedColumn column, ValueTest test) {
      this.column = column;
      this.test = test;
    }

    boolean isWorthIt() {
      return seen < TRIED_ROWS || isFew(left, seen);
    }

    double share() {
      return seen == 0 ? 1 : (double) left / seen;
    }
  }

  /**
   * @param found rows of the row group that may count, in order; empty when all may
   */
  RowSieve(PagedColumn[] columns, List<ValueTest.OfColumn> tests, Optional<int[]> found) {
    this.found = found;
    conditions =
        tests.stream()
            .filter(t -> columns[t.column()] != null)
            .map(t -> new Condition(columns[t.column()], t.test()))
            .collect(Collectors.toCollection(ArrayList::new));
  }

  /** The next row of all columns is this one of the row group. */
  void goTo(long row) {
    at = row;
    nextFound = found.map(rows -> firstFrom(rows, row)).orElse(0);
  }

  /** The place of the first row at or behind one. */
  private static int firstFrom(int[] rows, long from) {
    int at = Arrays.binarySearch(rows, (int) from);
    return at < 0 ? -at - 1 : at;
  }

  /** Puts those of the next rows that were found into their places. */
  private int found(int[] all, int rows) {
    int n = 0;
    while (nextFound < all.length && all[nextFound] < at + rows) {
      places[n++] = (int) (all[nextFound++] - at);
    }
    return n;
  }

  private static boolean isFew(long some, long of) {
    return some <= of / 4 * 3;
  }

  /**
   * Looks at the next rows of all columns, and takes none of them.
   *
   * @return how many are to be read: those that count, or all of them
   */
  int sift(int rows) throws IOException {
    if (!isOrdered && conditions.size() > 1 && conditions.get(0).seen >= TRIED_ROWS) {
      // What leaves the fewest is asked first from now on.
      conditions.sort(Comparator.comparingDouble(Condition::share));
      isOrdered = true;
    }
    int[] from = ALL;
    int left = rows;
    if (found.isPresent()) {
      left = found(found.get(), rows);
      from = places;
    }
    at += rows;
    for (Condition c : conditions) {
      if (left > 0 && c.test.isKnown() && c.isWorthIt()) {
        int now = c.column.meeting(rows, c.test, from, left, places);
        c.seen += left;
        c.left += now;
        left = now;
        from = places;
      }
    }
    // A few rows that do not count are less work than picking the others out.
    return isFew(left, rows) ? left : rows;
  }

  /** Takes the next rows of a column, as they were sifted. */
  Column next(PagedColumn column, int rows, int counted) throws IOException {
    return counted == rows ? column.next(rows) : column.next(rows, places, counted);
  }
}

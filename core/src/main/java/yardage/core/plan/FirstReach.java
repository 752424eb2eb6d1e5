package yardage.core.plan;

import java.util.Optional;
import yardage.core.column.Column;
import yardage.core.column.Values;

/**
 * How far the first rows of an order reach, by its first column: rows behind are not among them.
 * Whoever has found as many rows as are wanted says so, and whoever reads asks. Thread-safe.
 */
public final class FirstReach {
  private final boolean descending;
  private final boolean nullsFirst;
  private volatile Optional<Column> last = Optional.empty();

  public FirstReach(boolean descending, boolean nullsFirst) {
    this.descending = descending;
    this.nullsFirst = nullsFirst;
  }

  public boolean descending() {
    return descending;
  }

  /** Whether nulls are among the first as long as it is not known how far these reach. */
  public boolean nullsFirst() {
    return nullsFirst;
  }

  /** The value that the last of them has at most; empty while nothing is known. */
  public Optional<Column> last() {
    return last;
  }

  /** There are as many rows as are wanted, and the last of them has the value of a row. */
  public synchronized void reaches(Column column, int row) {
    if (column.isNull(row)) {
      // Values may come behind nulls: nothing is known of them.
      return;
    }
    if (last.isEmpty() || isBefore(Values.compare(column, row, last.get(), 0))) {
      last = Optional.of(column.gather(new int[] {row}, 1));
    }
  }

  /** Whether a row with a value of a column may be among them. */
  public boolean takes(Column column, int row) {
    if (column.isNull(row)) {
      return takesNulls();
    }
    // Rows that compare alike may be among the first, by their other columns or their places.
    return last.map(l -> !isBefore(Values.compare(l, 0, column, row))).orElse(true);
  }

  /** Whether a row without a value may be. */
  public boolean takesNulls() {
    return nullsFirst || last.isEmpty();
  }

  /** Whether what compares in this way comes before in the order. */
  public boolean isBefore(int comparison) {
    return descending ? comparison > 0 : comparison < 0;
  }
}

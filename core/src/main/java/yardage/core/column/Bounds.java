package yardage.core.column;

import java.util.Optional;

/**
 * The smallest and the largest of a column's whole numbers.
 *
 * @param smallest above {@code largest} where all are null
 */
public record Bounds(long smallest, long largest) {
  /** Of nothing. */
  public static final Bounds NONE = new Bounds(Long.MAX_VALUE, Long.MIN_VALUE);

  public boolean isNone() {
    return smallest > largest;
  }

  /** Those of both. */
  public Bounds and(Bounds other) {
    return other.isNone()
        ? this
        : new Bounds(Math.min(smallest, other.smallest), Math.max(largest, other.largest));
  }

  /** Empty where a column's values are not kept as whole numbers. */
  public static Optional<Bounds> of(Column column) {
    boolean nulls = column.hasNulls();
    if (column instanceof IntColumn c) {
      int[] values = c.values();
      int smallest = Integer.MAX_VALUE;
      int largest = Integer.MIN_VALUE;
      for (int r = 0; r < c.size(); r++) {
        if (!nulls || !c.isNull(r)) {
          smallest = Math.min(smallest, values[r]);
          largest = Math.max(largest, values[r]);
        }
      }
      return Optional.of(new Bounds(smallest, largest));
    } else if (column instanceof LongColumn c) {
      long[] values = c.values();
      long smallest = Long.MAX_VALUE;
      long largest = Long.MIN_VALUE;
      for (int r = 0; r < c.size(); r++) {
        if (!nulls || !c.isNull(r)) {
          smallest = Math.min(smallest, values[r]);
          largest = Math.max(largest, values[r]);
        }
      }
      return Optional.of(new Bounds(smallest, largest));
    }
    return Optional.empty();
  }
}

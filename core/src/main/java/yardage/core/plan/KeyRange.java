package yardage.core.plan;

import java.util.Optional;

/**
 * The values that a column of a scan can have in rows that count: those of the other side of a
 * join, known once that side was read.
 *
 * @param column its place among those that the scan gives
 * @param smallest as {@link ColumnPredicate#value} has it; above {@code largest} where no row
 *     counts
 * @param which of the values in between there are; empty where that would take too much room
 */
public record KeyRange(int column, Object smallest, Object largest, Optional<KeyBits> which)
    implements RowCondition {
  /** The same of another column. */
  public KeyRange at(int other) {
    return new KeyRange(other, smallest, largest, which);
  }
}

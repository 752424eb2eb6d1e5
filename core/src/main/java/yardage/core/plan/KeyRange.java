package yardage.core.plan;

import java.util.Optional;
import yardage.core.column.Type;
import yardage.core.expr.Literal;

/**
 * The values that a column of a scan can have in rows that count: those of the other side of a
 * join, known once that side was read.
 *
 * @param column its place among those that the scan gives
 * @param smallest Integer or Long, as the column holds it; above {@code largest} where no row
 *     counts
 * @param once whether one row of each value comes to the same as all of them, where no other
 *     condition is
 * @param which of the values in between there are; empty where that would take too much room
 */
public record KeyRange(
    int column, Object smallest, Object largest, boolean once, Optional<KeyBits> which)
    implements RowCondition {
  /**
   * What it says, for people.
   *
   * @param name of the column
   */
  public String words(String name, Type type) {
    return ((Number) smallest).longValue() > ((Number) largest).longValue()
        ? "%s is a key of the join, which has none".formatted(name)
        : "%s is a key of the join, from %s to %s"
            .formatted(name, Literal.of(type, smallest).words(), Literal.of(type, largest).words());
  }

  /** The same of another column. */
  public KeyRange at(int other) {
    return new KeyRange(other, smallest, largest, once, which);
  }

  /** The same where one row of each value is enough, or where it is not. */
  public KeyRange once(boolean enough) {
    return new KeyRange(column, smallest, largest, enough, which);
  }
}

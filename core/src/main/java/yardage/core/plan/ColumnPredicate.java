package yardage.core.plan;

/**
 * A comparison of a column with a constant, by which files and row groups can be skipped. It never
 * decides about a row: the filter above the scan does.
 *
 * @param value Boolean, Integer (also dates, as days), Long (also timestamps, as microseconds),
 *     Double, BigDecimal or String
 */
public record ColumnPredicate(String column, Op op, Object value) {
  /** The comparisons. */
  public enum Op {
    EQ,
    LT,
    LE,
    GT,
    GE
  }
}

package yardage.core.plan;

/**
 * What rows of a scan that count have in a column. A scan leaves out rows that do not meet it where
 * that is less work than to read them; what stands above decides.
 */
public sealed interface RowCondition permits KeyRange, ColumnCondition, FirstValues {
  /** Its place among those that the scan gives. */
  int column();
}

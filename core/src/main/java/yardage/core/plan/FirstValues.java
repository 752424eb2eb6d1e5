package yardage.core.plan;

/**
 * The values that a column of a scan can have in rows that are among the first of an order.
 *
 * @param reach how far these reach, as known so far
 */
public record FirstValues(int column, FirstReach reach) implements RowCondition {}

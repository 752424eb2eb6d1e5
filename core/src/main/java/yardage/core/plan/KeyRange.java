package yardage.core.plan;

/**
 * The values that a column of a scan can have in rows that count: those of the other side of a
 * join, known once that side was read. It decides about no row: the join does.
 *
 * @param column its place among those that the scan gives
 * @param smallest as {@link ColumnPredicate#value} has it; above {@code largest} where no row
 *     counts
 */
public record KeyRange(int column, Object smallest, Object largest) {}

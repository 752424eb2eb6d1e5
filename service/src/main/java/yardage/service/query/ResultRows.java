package yardage.service.query;

import java.util.List;

/**
 * Rows for people. Whole numbers up to 53 bits, doubles and truth values are JSON values of their
 * kind; larger numbers, decimals, dates and times are text, so that no reader rounds them. A null
 * is null.
 *
 * @param notes what the answer leaves out, such as rows of a feed's files that do not fit
 * @param truncated whether there were more rows than were asked for
 */
public record ResultRows(
    List<ResultColumn> columns,
    List<List<Object>> rows,
    boolean truncated,
    long elapsedMillis,
    List<String> notes) {
  /** A column of the result. */
  public record ResultColumn(String name, String type) {}
}

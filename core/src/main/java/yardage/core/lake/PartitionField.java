package yardage.core.lake;

import java.util.Locale;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * One level of a table's partitioning: a column as it is, or the year, month or day of a date or
 * timestamp.
 */
public record PartitionField(Transform transform, String column) {
  private static final Pattern CALL =
      Pattern.compile("(year|month|day)\\s*\\(\\s*(\\w+)\\s*\\)", Pattern.CASE_INSENSITIVE);

  /** How a partition value comes from the column; finer ones later. */
  public enum Transform {
    IDENTITY,
    YEAR,
    MONTH,
    DAY
  }

  /** Reads {@code column}, {@code year(column)}, {@code month(column)} or {@code day(column)}. */
  public static PartitionField parse(String text) {
    Matcher call = CALL.matcher(text.trim());
    if (call.matches()) {
      return new PartitionField(
          Transform.valueOf(call.group(1).toUpperCase(Locale.ROOT)), call.group(2));
    }
    if (!text.trim().matches("\\w+")) {
      throw new IllegalArgumentException(
          "Invalid partition [%s]: write a column, or year(column), month(column) or day(column)"
              .formatted(text));
    }
    return new PartitionField(Transform.IDENTITY, text.trim());
  }

  @Override
  public String toString() {
    return transform == Transform.IDENTITY
        ? column
        : transform.name().toLowerCase(Locale.ROOT) + "(" + column + ")";
  }
}

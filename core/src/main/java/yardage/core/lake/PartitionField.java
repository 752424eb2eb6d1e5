package yardage.core.lake;

import java.util.Locale;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * One level of a table's partitioning: a column as it is, a part of a date or timestamp, one of so
 * many buckets, or the beginning of a value.
 *
 * @param size how many buckets, or the width that values are cut to; 0 for other transforms
 */
public record PartitionField(Transform transform, String column, int size) {
  private static final Pattern CALL =
      Pattern.compile("(\\w+)\\s*\\(\\s*(\\w+)\\s*(?:,\\s*(\\d{1,9})\\s*)?\\)");
  private static final String FORMS =
      "write a column, year(column), month(column), day(column), hour(column), bucket(column, 16) or truncate(column, 3)";

  /** How a partition value comes from the column (those of the table format). */
  public enum Transform {
    IDENTITY,
    YEAR,
    MONTH,
    DAY,
    HOUR,
    BUCKET,
    TRUNCATE;

    /** Whether it takes a part of a date or timestamp. */
    boolean isTemporal() {
      return this == YEAR || this == MONTH || this == DAY || this == HOUR;
    }

    boolean isSized() {
      return this == BUCKET || this == TRUNCATE;
    }
  }

  /** Reads {@code column}, {@code month(column)}, {@code bucket(column, 16)} and the like. */
  public static PartitionField parse(String text) {
    Matcher call = CALL.matcher(text.trim());
    if (!call.matches()) {
      if (!text.trim().matches("\\w+")) {
        throw new IllegalArgumentException("Invalid partition [%s]: %s".formatted(text, FORMS));
      }
      return new PartitionField(Transform.IDENTITY, text.trim(), 0);
    }
    Transform transform;
    try {
      transform = Transform.valueOf(call.group(1).toUpperCase(Locale.ROOT));
    } catch (IllegalArgumentException e) {
      throw new IllegalArgumentException("Invalid partition [%s]: %s".formatted(text, FORMS), e);
    }
    int size = call.group(3) == null ? 0 : Integer.parseInt(call.group(3));
    if (transform == Transform.IDENTITY || transform.isSized() != size > 0) {
      throw new IllegalArgumentException("Invalid partition [%s]: %s".formatted(text, FORMS));
    }
    return new PartitionField(transform, call.group(2), size);
  }

  @Override
  public String toString() {
    return switch (transform) {
      case IDENTITY -> column;
      case BUCKET, TRUNCATE ->
          "%s(%s, %d)".formatted(transform.name().toLowerCase(Locale.ROOT), column, size);
      default -> "%s(%s)".formatted(transform.name().toLowerCase(Locale.ROOT), column);
    };
  }
}

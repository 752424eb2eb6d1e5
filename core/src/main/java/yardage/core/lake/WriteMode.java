package yardage.core.lake;

import java.util.Locale;

/** What a write does to the rows that are there. */
public enum WriteMode {
  /** Adds rows. */
  APPEND,
  /** Replaces all rows. */
  REPLACE,
  /** Replaces the partitions that the run made rows for, and leaves the others. */
  REPLACE_PARTITIONS;

  public String text() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}

package yardage.core.lake;

import java.util.Locale;

/** What a write does to the rows that are there. */
public enum WriteMode {
  /** Adds rows. */
  APPEND,
  /** Replaces all rows. */
  REPLACE,
  /** Replaces the partitions that the run made rows for, and leaves the others. */
  REPLACE_PARTITIONS,
  /** Replaces the rows that have the key of a row that comes, and adds the others. */
  UPSERT,
  /** Takes away the rows that have the key of a row that comes; nothing is added. */
  DELETE;

  /** Whether rows are matched with those that are there. */
  public boolean isByKey() {
    return this == UPSERT || this == DELETE;
  }

  public String text() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }
}

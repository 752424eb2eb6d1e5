package yardage.core.feed;

import java.util.Arrays;
import java.util.Locale;

/**
 * What happens when a file has fields that the contract does not name, or lacks some that it does.
 */
public enum ChangePolicy {
  /** The run stops and proposes the changed contract. */
  STOP,
  /** The contract gets the new columns at once. */
  ADD,
  /** The values are kept as JSON in a column of their own. */
  STRAYS,
  /** Nothing: unknown fields are skipped. */
  IGNORE;

  /** The column that {@link #STRAYS} keeps values in. */
  public static final String STRAYS_COLUMN = "strays";

  public String word() {
    return name().toLowerCase(Locale.ROOT);
  }

  static String[] words() {
    return Arrays.stream(values()).map(ChangePolicy::word).toArray(String[]::new);
  }

  static ChangePolicy of(String word) {
    return valueOf(word.toUpperCase(Locale.ROOT));
  }
}

package yardage.core.feed;

import java.util.Arrays;
import java.util.Locale;

/**
 * What happens when a file cannot be read to its end, or more of it is set aside than the feed
 * allows.
 */
public enum DamagedFiles {
  /** The run stops. */
  STOP,
  /** What stands before the damage is taken, and the rest is set aside; too much of it stops. */
  KEEP_READABLE,
  /** The file is put into quarantine, and the run goes on without it. */
  QUARANTINE;

  String word() {
    return name().toLowerCase(Locale.ROOT).replace('_', '-');
  }

  static String[] words() {
    return Arrays.stream(values()).map(DamagedFiles::word).toArray(String[]::new);
  }

  static DamagedFiles of(String word) {
    return valueOf(word.toUpperCase(Locale.ROOT).replace('-', '_'));
  }
}

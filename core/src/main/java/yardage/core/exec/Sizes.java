package yardage.core.exec;

import java.util.Locale;

/** Byte counts as people read them: decimal multiples, one digit below ten. */
public final class Sizes {
  private static final String[] UNITS = {"B", "kB", "MB", "GB", "TB"};

  private Sizes() {}

  public static String text(long bytes) {
    double v = bytes;
    int unit = 0;
    while (v >= 999.5 && unit < UNITS.length - 1) {
      v /= 1000;
      unit++;
    }
    return String.format(Locale.ROOT, unit > 0 && v < 9.95 ? "%.1f %s" : "%.0f %s", v, UNITS[unit]);
  }
}

package yardage.core.plan;

/** Checks of columns by number. */
final class Ordinals {
  private Ordinals() {}

  static void check(int ordinal) {
    if (ordinal < 0) {
      throw new IllegalArgumentException("Invalid column: %d".formatted(ordinal));
    }
  }

  /**
   * A copy of some columns' numbers.
   *
   * @param width how many columns there are
   */
  static int[] within(int[] ordinals, int width) {
    for (int o : ordinals) {
      if (o < 0 || o >= width) {
        throw new IllegalArgumentException("Invalid column: %d (there are %d)".formatted(o, width));
      }
    }
    return ordinals.clone();
  }
}

package yardage.bench;

import java.util.Arrays;
import java.util.Locale;
import java.util.concurrent.Callable;

/** Times a piece of work several times after a warm-up and gives the median. */
final class Measure {
  private Measure() {}

  /**
   * The median of {@code runs} times in seconds; {@code warmUps} more come before and do not count.
   */
  static double seconds(int warmUps, int runs, Callable<?> work) throws Exception {
    for (int i = 0; i < warmUps; i++) {
      work.call();
    }
    double[] seconds = new double[runs];
    for (int i = 0; i < runs; i++) {
      long start = System.nanoTime();
      work.call();
      seconds[i] = (System.nanoTime() - start) / 1e9;
    }
    Arrays.sort(seconds);
    return seconds[runs / 2];
  }

  /** Prints a figure beside its limit and its alternative, in one unit, with the ratios. */
  static void print(
      String what,
      String unit,
      double ours,
      String limitName,
      double limit,
      String otherName,
      double other) {
    System.out.printf(
        Locale.ROOT,
        "%-44s %10.1f %-7s  limit %10.1f (%.0f %%)  other %9.1f (%.1fx)%n",
        what,
        ours,
        unit,
        limit,
        100 * ours / limit,
        other,
        ours / other);
    System.out.printf(Locale.ROOT, "%-44s limit: %s; other: %s%n%n", "", limitName, otherName);
  }
}

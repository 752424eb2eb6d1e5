package yardage.bench;

import java.util.Locale;
import yardage.bench.GatheringPlans.Plan;

/**
 * What it costs when rows do not fit: each operator with plenty of memory, and with a twentieth of
 * what its rows take.
 */
final class SpillBench {
  private static final int ROWS = 6_000_000;

  private static void compare(Plan plan) throws Exception {
    long[] spilled = {0};
    double plenty =
        Measure.seconds(1, 3, () -> spilled[0] = GatheringPlans.run(plan, 16L << 30, Main.WORKERS));
    if (spilled[0] > 0) {
      throw new IllegalStateException("it spilled with plenty of memory");
    }
    double little =
        Measure.seconds(
            1, 3, () -> spilled[0] = GatheringPlans.run(plan, plan.rowBytes() / 20, Main.WORKERS));
    System.out.printf(
        Locale.ROOT,
        "%-34s in memory %5.2f s  with a twentieth %5.2f s (%.1fx)  %,d MB to disk for rows of %,d MB%n",
        plan.what(),
        plenty,
        little,
        little / plenty,
        spilled[0] / 1_000_000,
        plan.rowBytes() / 1_000_000);
  }

  void spill() throws Exception {
    for (Plan plan : GatheringPlans.over(ROWS).values()) {
      compare(plan);
    }
  }
}

package yardage.bench;

import java.util.Locale;
import java.util.Map;
import yardage.bench.GatheringPlans.Plan;

/**
 * How each operator grows: two workers beside one, and ten times the rows beside a tenth of them,
 * in memory and with a twentieth of what the rows take.
 */
final class ScaleBench {
  private static final int ROWS = 5_000_000;
  private static final long PLENTY = 16L << 30;

  private static double seconds(Plan plan, long memoryBytes, int workers) throws Exception {
    return Measure.seconds(2, 5, () -> GatheringPlans.run(plan, memoryBytes, workers));
  }

  void scale() throws Exception {
    Map<String, Plan> large = GatheringPlans.over(ROWS);
    Map<String, Plan> small = GatheringPlans.over(ROWS / 10);
    for (String what : large.keySet()) {
      Plan ten = large.get(what);
      Plan one = small.get(what);
      double alone = seconds(ten, PLENTY, 1);
      double both = seconds(ten, PLENTY, 2);
      double tenth = seconds(one, PLENTY, 2);
      double spilled = seconds(ten, ten.rowBytes() / 20, 2);
      double spilledTenth = seconds(one, one.rowBytes() / 20, 2);
      System.out.printf(
          Locale.ROOT,
          "%-10s %,d rows: one worker %5.2f s, two %5.2f s (%.2fx)  growth over %,d: %.1fx in memory, %.1fx spilled%n",
          what,
          ROWS,
          alone,
          both,
          alone / both,
          ROWS / 10,
          both / tenth,
          spilled / spilledTenth);
    }
  }
}

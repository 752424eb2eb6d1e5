package yardage.core.insight.profile;

import java.util.SplittableRandom;
import java.util.function.IntFunction;

/**
 * Some values of many, each with the same chance: all of the first, then fewer and fewer (K.-H. Li,
 * Reservoir-Sampling Algorithms of Time Complexity O(n(1 + log(N/n))), 1994). Most values are
 * skipped without a look.
 */
final class Reservoir {
  static final int MOST = 1 << 12;

  private final Object[] kept = new Object[MOST];
  private final SplittableRandom random;
  private long seen;
  private long next = MOST;
  private double w;

  Reservoir(long seed) {
    random = new SplittableRandom(seed);
    w = Math.exp(Math.log(random.nextDouble()) / MOST);
    skip();
  }

  private void skip() {
    next += (long) Math.floor(Math.log(random.nextDouble()) / Math.log(1 - w));
  }

  /**
   * @param value gives the value of a row
   */
  void offer(IntFunction<Object> value, int row) {
    if (seen < MOST) {
      kept[(int) seen] = value.apply(row);
    } else if (seen == next) {
      kept[random.nextInt(MOST)] = value.apply(row);
      w *= Math.exp(Math.log(random.nextDouble()) / MOST);
      next++;
      skip();
    }
    seen++;
  }

  long seen() {
    return seen;
  }

  int size() {
    return (int) Math.min(seen, MOST);
  }

  Object get(int i) {
    return kept[i];
  }
}

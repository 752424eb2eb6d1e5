package yardage.core.exec;

import java.math.BigDecimal;
import java.math.RoundingMode;

/** Where a share of so many values in order lies (SQL:2016, 10.9). */
final class Shares {
  private Shares() {}

  /** From 0: between two of them where it has a fraction. */
  static double between(String share, long count) {
    return new BigDecimal(share).doubleValue() * (count - 1);
  }

  /** From 0: the first by which that share has been reached. */
  static long reached(String share, long count) {
    BigDecimal reached = new BigDecimal(share).multiply(BigDecimal.valueOf(count));
    return Math.max(0, reached.setScale(0, RoundingMode.CEILING).longValueExact() - 1);
  }

  /**
   * @param place as {@link #between} gives it, and the values below and above it
   */
  static double value(double place, double below, double above) {
    return below + (place - Math.floor(place)) * (above - below);
  }
}

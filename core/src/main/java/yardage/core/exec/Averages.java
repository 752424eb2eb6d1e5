package yardage.core.exec;

import java.math.BigDecimal;
import java.math.RoundingMode;
import yardage.core.column.*;

/** Averages of decimals, from their sums. */
final class Averages {
  private Averages() {}

  /**
   * Puts {@code sum / count} into a row, rounded half away from zero. An average is no larger than
   * the values, so that it fits its type.
   *
   * @param argument the type whose scale the sum has
   * @param high for the high words; not used, and may be null, where the result is not wide
   */
  static void put(
      long sumHigh,
      long sumLow,
      long count,
      Type argument,
      Type result,
      long[] high,
      long[] low,
      int row) {
    int more = result.scale() - argument.scale();
    if (Int128.fitsLong(sumHigh, sumLow) && more >= 0 && more <= Type.MAX_LONG_DIGITS) {
      long unit = Values.powerOfTen(more);
      long scaled = sumLow * unit;
      if (Math.multiplyHigh(sumLow, unit) == scaled >> 63) {
        low[row] = Values.divideHalfUp(scaled, count);
        if (high != null) {
          high[row] = low[row] >> 63;
        }
        return;
      }
    }
    BigDecimal sum = new BigDecimal(Int128.big(sumHigh, sumLow), argument.scale());
    BigDecimal average =
        sum.divide(BigDecimal.valueOf(count), result.scale(), RoundingMode.HALF_UP);
    low[row] = average.unscaledValue().longValue();
    if (high != null) {
      high[row] = average.unscaledValue().shiftRight(64).longValue();
    }
  }
}

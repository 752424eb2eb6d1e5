package yardage.core.column;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.math.RoundingMode;

/**
 * Whole numbers of 128 bits in two's complement, as a high and a low word: the unscaled values of
 * decimals with 19 to 38 digits. Results go into two arrays, since a method gives back one word
 * only. What fits 64 bits is computed by the processor; the rest, which is rare, as BigInteger.
 */
public final class Int128 {
  private static final long[] POWER_HIGH = new long[Type.MAX_DECIMAL_PRECISION + 1];
  private static final long[] POWER_LOW = new long[Type.MAX_DECIMAL_PRECISION + 1];

  static {
    for (int i = 0; i <= Type.MAX_DECIMAL_PRECISION; i++) {
      set(BigInteger.TEN.pow(i), POWER_HIGH, POWER_LOW, i);
    }
  }

  private Int128() {}

  public static BigInteger big(long high, long low) {
    BigInteger l = BigInteger.valueOf(low);
    return fitsLong(high, low)
        ? l
        : BigInteger.valueOf(high)
            .shiftLeft(64)
            .add(low < 0 ? l.add(BigInteger.ONE.shiftLeft(64)) : l);
  }

  /** Puts a value into two arrays; says whether it has at most 127 bits. */
  public static boolean set(BigInteger value, long[] high, long[] low, int at) {
    low[at] = value.longValue();
    high[at] = value.shiftRight(64).longValue();
    return value.bitLength() < 128;
  }

  public static boolean fitsLong(long high, long low) {
    return high == low >> 63;
  }

  public static int compare(long high, long low, long otherHigh, long otherLow) {
    return high != otherHigh ? Long.compare(high, otherHigh) : Long.compareUnsigned(low, otherLow);
  }

  /** Whether a value has at most so many decimal digits. */
  public static boolean hasDigits(long high, long low, int digits) {
    long h = high;
    long l = low;
    if (high < 0) {
      l = -low;
      h = ~high + (low == 0 ? 1 : 0);
    }
    // The least value of all has no opposite: its high word stays negative.
    return h >= 0 && compare(h, l, POWER_HIGH[digits], POWER_LOW[digits]) < 0;
  }

  /** The high word of a sum, whose low word is {@code a + b}. */
  public static long highOfSum(long aHigh, long bHigh, long aLow, long sumLow) {
    return aHigh + bHigh + (Long.compareUnsigned(sumLow, aLow) < 0 ? 1 : 0);
  }

  /** The high word of {@code a - b}, whose low word is {@code aLow - bLow}. */
  public static long highOfDifference(long aHigh, long bHigh, long aLow, long bLow) {
    return aHigh - bHigh - (Long.compareUnsigned(aLow, bLow) < 0 ? 1 : 0);
  }

  /** Multiplies; says whether the product has at most 127 bits. */
  public static boolean multiply(
      long aHigh, long aLow, long bHigh, long bLow, long[] high, long[] low, int at) {
    if (fitsLong(aHigh, aLow) && fitsLong(bHigh, bLow)) {
      low[at] = aLow * bLow;
      high[at] = Math.multiplyHigh(aLow, bLow);
      return true;
    }
    return set(big(aHigh, aLow).multiply(big(bHigh, bLow)), high, low, at);
  }

  /**
   * Moves the decimal point: multiplies by a power of ten, or divides by one and rounds half away
   * from zero; says whether the result has at most 127 bits.
   *
   * @param digits that the scale grows by; negative where it shrinks
   */
  public static boolean rescale(
      long valueHigh, long valueLow, int digits, long[] high, long[] low, int at) {
    if (digits >= 0) {
      return multiply(valueHigh, valueLow, POWER_HIGH[digits], POWER_LOW[digits], high, low, at);
    }
    if (fitsLong(valueHigh, valueLow) && digits >= -Type.MAX_LONG_DIGITS) {
      low[at] = Values.divideHalfUp(valueLow, Values.powerOfTen(-digits));
      high[at] = low[at] >> 63;
      return true;
    }
    BigDecimal value = new BigDecimal(big(valueHigh, valueLow), -digits);
    return set(value.setScale(0, RoundingMode.HALF_UP).unscaledValue(), high, low, at);
  }
}

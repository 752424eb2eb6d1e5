package yardage.core.format.record;

import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.util.Locale;
import yardage.core.column.Int128;
import yardage.core.column.Type;
import yardage.core.column.Values;

/**
 * Reads numbers from their text, up to eight characters of it at once (Lemire, "Quickly parsing
 * eight digits", 2022). Bytes up to seven behind a text must be readable. One thread at a time.
 */
final class NumberReader {
  /** The bits of a double that a float has not, and those of one between two floats. */
  private static final long MIDDLE_MASK = (1L << 29) - 1;

  private static final long MIDDLE = 1L << 28;

  private static final long MAX_EXACT_MANTISSA = 1L << 53;
  private static final double[] EXACT_POWERS = new double[23];

  static {
    double p = 1;
    for (int i = 0; i < EXACT_POWERS.length; i++) {
      EXACT_POWERS[i] = p;
      p *= 10;
    }
  }

  private static final int LONGEST_WITH_EXPONENT = 100;
  private static final long ZEROS = Swar.pattern('0');
  private static final long SIXES = Swar.pattern(6);
  private static final long HIGH_NIBBLES = Swar.pattern(0xF0);
  private static final long POINTS = Swar.pattern('.');

  private final int scale;
  private final int precision;
  private final long bound;
  private final int most;
  private final boolean notFinite;

  // Set by the readers and taken right after: a result object per value would be garbage per value.
  private Reason failure;
  private long high;
  private final long[] wideHigh = new long[1];
  private final long[] wideLow = new long[1];

  /**
   * @param type of the numbers, which gives decimals their scale and precision
   */
  NumberReader(Type type) {
    this(type, false);
  }

  /**
   * @param notFinite whether doubles may be not a number, or infinite
   */
  NumberReader(Type type, boolean notFinite) {
    this.notFinite = notFinite;
    boolean decimal = type.kind() == Type.Kind.DECIMAL;
    this.scale = decimal ? type.scale() : 0;
    this.precision = decimal ? type.precision() : 0;
    this.bound = Values.powerOfTen(Math.min(precision, Type.MAX_LONG_DIGITS));
    this.most = precision > Type.MAX_LONG_DIGITS ? precision : Type.MAX_LONG_DIGITS;
  }

  /** Whether the number read last was none, or does not fit. */
  boolean failed() {
    return failure != null;
  }

  /** Why the number read last was none; the next one starts afresh. */
  Reason takeFailure() {
    Reason taken = failure;
    failure = null;
    return taken;
  }

  /** Says that the number read last does not fit the type. */
  void outOfRange() {
    failure = Reason.OUT_OF_RANGE;
  }

  /**
   * Eight characters, the first in the lowest byte, with the value of their digits; negative when
   * one is no digit.
   */
  private static long eightDigits(long values) {
    if (((values | (values + SIXES)) & HIGH_NIBBLES) != 0) {
      return -1;
    }
    long pairs = values * 10 + (values >>> 8);
    return ((pairs & 0x000000FF000000FFL) * 0x000F424000000064L
            + (pairs >>> 16 & 0x000000FF000000FFL) * 0x0000271000000001L)
        >>> 32;
  }

  long parseLong(byte[] b, int start, int end) {
    int length = end - start;
    if (length <= 8 && length > 0) {
      long v = eightDigits(((long) Swar.LONG.get(b, start) ^ ZEROS) << (8 - length << 3));
      if (v >= 0) {
        return v;
      }
    }
    return parseLongStepwise(b, start, end);
  }

  private long parseLongStepwise(byte[] b, int start, int end) {
    boolean negative = start < end && b[start] == '-';
    int at = start + (start < end && (negative || b[start] == '+') ? 1 : 0);
    if (at == end) {
      failure = Reason.WRONG_TYPE;
      return 0;
    }
    // Below zero, where there is one number more.
    long v = 0;
    for (int i = at; i < end; i++) {
      int digit = b[i] - '0';
      if (digit < 0 || digit > 9) {
        failure = Reason.WRONG_TYPE;
        return 0;
      }
      if (i - at >= 18 && (v < Long.MIN_VALUE / 10 || v * 10 < Long.MIN_VALUE + digit)) {
        failure = onlyDigits(b, i, end) ? Reason.OUT_OF_RANGE : Reason.WRONG_TYPE;
        return 0;
      }
      v = v * 10 - digit;
    }
    if (!negative && v == Long.MIN_VALUE) {
      failure = Reason.OUT_OF_RANGE;
    }
    return negative ? v : -v;
  }

  /** The high word of the decimal that was read last. */
  long high() {
    return high;
  }

  /** The unscaled value; of a decimal of more than 18 digits its low word. */
  long parseDecimal(byte[] b, int start, int end) {
    high = 0;
    int length = end - start;
    if (length <= 8 && length > 0) {
      long word = (long) Swar.LONG.get(b, start) ^ ZEROS;
      int fraction = fraction(word, length);
      long v = short8(word, length, fraction);
      if (v >= 0 && fraction <= scale) {
        int missing = scale - Math.max(fraction, 0);
        if (missing <= Type.MAX_LONG_DIGITS && v < bound / Values.powerOfTen(missing)) {
          return v * Values.powerOfTen(missing);
        }
      }
    }
    return parseDecimalStepwise(b, start, end);
  }

  /**
   * The characters behind the first point of a text of up to eight, -1 when there is no point.
   *
   * @param word the text, each character exclusive-or'd with the digit 0
   */
  private static int fraction(long word, int length) {
    long points = Swar.match(word, ZEROS ^ POINTS) & -1L >>> (8 - length << 3);
    return points == 0 ? -1 : length - 1 - (Long.numberOfTrailingZeros(points) >>> 3);
  }

  /** The digits of a text of up to eight characters without its point; negative for other text. */
  private static long short8(long word, int length, int fraction) {
    if (fraction < 0) {
      return eightDigits(word << (8 - length << 3));
    }
    if (length == 1) {
      return -1;
    }
    int point = length - 1 - fraction << 3;
    long before = (1L << point) - 1;
    return eightDigits((word & before | word >>> 8 & ~before) << (9 - length << 3));
  }

  private long parseDecimalStepwise(byte[] b, int start, int end) {
    boolean negative = start < end && b[start] == '-';
    int at = start + (start < end && (negative || b[start] == '+') ? 1 : 0);
    long v = 0;
    int digits = 0;
    int significant = 0;
    int fraction = -1;
    for (int i = at; i < end; i++) {
      if (b[i] == '.' && fraction < 0) {
        fraction = 0;
        continue;
      }
      int digit = b[i] - '0';
      if (digit < 0 || digit > 9) {
        if ((b[i] | 0x20) == 'e' && digits > 0) {
          failure = null;
          return parseDecimalWithExponent(b, start, end);
        }
        failure = Reason.WRONG_TYPE;
        return 0;
      }
      digits++;
      if (fraction >= scale) {
        // Zeros beyond the scale say nothing new; other digits would be lost.
        if (digit != 0) {
          failure = Reason.OUT_OF_RANGE;
        }
        continue;
      }
      fraction += fraction >= 0 ? 1 : 0;
      significant += v != 0 || digit != 0 ? 1 : 0;
      if (significant > most) {
        failure = Reason.OUT_OF_RANGE;
      } else if (significant <= Type.MAX_LONG_DIGITS) {
        v = v * 10 + digit;
      } else {
        v = timesTen(v, digit);
      }
    }
    if (digits == 0) {
      failure = Reason.WRONG_TYPE;
      return 0;
    }
    if (failure != null) {
      return 0;
    }
    int missing = scale - Math.max(fraction, 0);
    if (significant + (significant == 0 ? 0 : missing) > precision) {
      failure = Reason.OUT_OF_RANGE;
      return 0;
    }
    if (precision <= Type.MAX_LONG_DIGITS) {
      v *= Values.powerOfTen(missing);
      return negative ? -v : v;
    }
    Int128.rescale(high, v, missing, wideHigh, wideLow, 0);
    high = wideHigh[0];
    v = wideLow[0];
    if (negative) {
      high = ~high + (v == 0 ? 1 : 0);
      v = -v;
    }
    return v;
  }

  /** Puts one more digit behind a number whose high word is {@link #high}. */
  private long timesTen(long low, int digit) {
    long eight = low << 3;
    long ten = eight + (low << 1);
    long sum = ten + digit;
    high =
        high * 10
            + (low >>> 61)
            + (low >>> 63)
            + (Long.compareUnsigned(ten, eight) < 0 ? 1 : 0)
            + (Long.compareUnsigned(sum, ten) < 0 ? 1 : 0);
    return sum;
  }

  /** A number such as {@code 1.5E+3}, exactly; for the rare file that has them. */
  private long parseDecimalWithExponent(byte[] b, int start, int end) {
    if (end - start > LONGEST_WITH_EXPONENT) {
      failure = Reason.WRONG_TYPE;
      return 0;
    }
    try {
      BigDecimal v = new BigDecimal(new String(b, start, end - start, StandardCharsets.US_ASCII));
      if (v.signum() == 0) {
        return 0;
      }
      // Before anything is written out: an exponent may stand for billions of digits.
      if ((long) v.precision() - v.scale() > precision - scale || -(long) v.scale() > precision) {
        failure = Reason.OUT_OF_RANGE;
        return 0;
      }
      BigDecimal plain = v.stripTrailingZeros();
      if (plain.scale() > scale) {
        failure = Reason.OUT_OF_RANGE;
        return 0;
      }
      Int128.set(plain.setScale(scale).unscaledValue(), wideHigh, wideLow, 0);
      high = wideHigh[0];
      return wideLow[0];
    } catch (NumberFormatException e) {
      failure = Reason.WRONG_TYPE;
      return 0;
    } catch (ArithmeticException e) {
      failure = Reason.OUT_OF_RANGE;
      return 0;
    }
  }

  double parseDouble(byte[] b, int start, int end) {
    int length = end - start;
    if (length <= 8 && length > 0) {
      long word = (long) Swar.LONG.get(b, start) ^ ZEROS;
      int fraction = fraction(word, length);
      long v = short8(word, length, fraction);
      if (v >= 0) {
        return v / EXACT_POWERS[Math.max(fraction, 0)];
      }
    }
    return parseDoubleStepwise(b, start, end);
  }

  /**
   * Exact for up to 15 digits and small exponents, as Clinger's fast path has it; the library does
   * the rest.
   */
  private double parseDoubleStepwise(byte[] b, int start, int end) {
    boolean negative = start < end && b[start] == '-';
    int at = start + (start < end && (negative || b[start] == '+') ? 1 : 0);
    long mantissa = 0;
    int digits = 0;
    int fraction = -1;
    for (int i = at; i < end; i++) {
      if (b[i] == '.' && fraction < 0) {
        fraction = 0;
        continue;
      }
      int digit = b[i] - '0';
      if (digit < 0 || digit > 9 || digits == 17) {
        return parseDoubleSlowly(b, start, end);
      }
      mantissa = mantissa * 10 + digit;
      digits++;
      fraction += fraction >= 0 ? 1 : 0;
    }
    if (digits == 0 || mantissa >= MAX_EXACT_MANTISSA) {
      return parseDoubleSlowly(b, start, end);
    }
    double v = fraction > 0 ? mantissa / EXACT_POWERS[fraction] : mantissa;
    return negative ? -v : v;
  }

  private double parseDoubleSlowly(byte[] b, int start, int end) {
    if (notFinite) {
      String word =
          new String(b, start, Math.min(end - start, 10), StandardCharsets.US_ASCII)
              .toLowerCase(Locale.ROOT);
      switch (word) {
        case "nan":
          return Double.NaN;
        case "inf", "infinity", "+inf", "+infinity":
          return Double.POSITIVE_INFINITY;
        case "-inf", "-infinity":
          return Double.NEGATIVE_INFINITY;
        default:
          break;
      }
    }
    // Only digits, sign, point and exponent: the library would also take "1f", "0x1p3" and "NaN".
    for (int i = start; i < end; i++) {
      if ((b[i] < '0' || b[i] > '9')
          && b[i] != '.'
          && b[i] != '-'
          && b[i] != '+'
          && b[i] != 'e'
          && b[i] != 'E') {
        failure = Reason.WRONG_TYPE;
        return 0;
      }
    }
    try {
      double v = Double.parseDouble(new String(b, start, end - start, StandardCharsets.US_ASCII));
      if (Double.isInfinite(v) || v == 0 && !isZero(b, start, end)) {
        failure = Reason.OUT_OF_RANGE;
      }
      return v;
    } catch (NumberFormatException e) {
      failure = Reason.WRONG_TYPE;
      return 0;
    }
  }

  /** A number that was read as a double, rounded once to a float. */
  double rounded(double v, byte[] b, int start, int end) {
    // Between two floats the double may have been rounded there already.
    boolean isMiddle = (Double.doubleToRawLongBits(v) & MIDDLE_MASK) == MIDDLE;
    float f =
        isMiddle
            ? Float.parseFloat(new String(b, start, end - start, StandardCharsets.US_ASCII))
            : (float) v;
    if (Double.isFinite(v) && (Float.isInfinite(f) || f == 0 && v != 0)) {
      failure = Reason.OUT_OF_RANGE;
    }
    return f;
  }

  /** Whether a number says zero: 1e-400 does not, though no double is as small. */
  private static boolean isZero(byte[] b, int start, int end) {
    for (int i = start; i < end && b[i] != 'e' && b[i] != 'E'; i++) {
      if (b[i] >= '1' && b[i] <= '9') {
        return false;
      }
    }
    return true;
  }

  private static boolean onlyDigits(byte[] b, int start, int end) {
    for (int i = start; i < end; i++) {
      if (b[i] < '0' || b[i] > '9') {
        return false;
      }
    }
    return true;
  }
}

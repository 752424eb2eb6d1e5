package yardage.core.column;

/**
 * The types of results of computing with numbers, in one place for SQL, steps and the engine. The
 * standard leaves the digits of sums, averages and quotients to each implementation (SQL:2016, 6.29
 * and 10.9).
 */
public final class NumberTypes {
  /** A sum of fewer than ten to the power of this many values always fits. */
  private static final int DIGITS_OF_SUM = 9;

  private static final int DIGITS_OF_AVERAGE = 4;
  private static final int LEAST_SCALE_OF_QUOTIENT = 6;

  private NumberTypes() {}

  /** The narrowest type that holds the values of both, as far as 38 digits go. */
  public static Type common(Type a, Type b) {
    if (a.isApproximate() || b.isApproximate()) {
      return a.equals(b) ? a : Type.DOUBLE;
    }
    if (a.kind() == Type.Kind.DECIMAL || b.kind() == Type.Kind.DECIMAL) {
      return decimal(Math.max(a.wholeDigits(), b.wholeDigits()), Math.max(a.scale(), b.scale()));
    }
    return a.kind() == Type.Kind.BIGINT || b.kind() == Type.Kind.BIGINT ? Type.BIGINT : Type.INT;
  }

  /**
   * Of whole numbers a bigint; of floats a double; of decimals one with nine digits more, and 18 at
   * least.
   */
  public static Type sum(Type of) {
    return switch (of.kind()) {
      case INT, BIGINT -> Type.BIGINT;
      case DECIMAL ->
          Type.decimal(
              Math.min(
                  Type.MAX_DECIMAL_PRECISION,
                  Math.max(Type.MAX_LONG_DIGITS, of.precision() + DIGITS_OF_SUM)),
              of.scale());
      case FLOAT -> Type.DOUBLE;
      default -> of;
    };
  }

  /** Of decimals one with four digits more behind the point; of other numbers a double. */
  public static Type average(Type of) {
    return of.kind() == Type.Kind.DECIMAL
        ? Type.decimal(
            Math.min(Type.MAX_DECIMAL_PRECISION, of.precision() + DIGITS_OF_AVERAGE),
            Math.min(of.scale() + DIGITS_OF_AVERAGE, Type.MAX_DECIMAL_PRECISION - of.wholeDigits()))
        : Type.DOUBLE;
  }

  /**
   * Of exact numbers, one of them a decimal: the digits before the point that the quotient can
   * have, and as many behind it as make 18, at least six.
   */
  public static Type quotient(Type dividend, Type divisor) {
    int whole = dividend.wholeDigits() + divisor.scale();
    int wanted = dividend.scale() + divisor.wholeDigits() + divisor.scale() + 1;
    return decimal(
        whole, Math.max(LEAST_SCALE_OF_QUOTIENT, Math.min(wanted, Type.MAX_LONG_DIGITS - whole)));
  }

  /** Digits behind the point go before digits in front of it, where there is no room for both. */
  private static Type decimal(int whole, int scale) {
    return Type.decimal(Math.max(1, Math.min(Type.MAX_DECIMAL_PRECISION, whole + scale)), scale);
  }
}

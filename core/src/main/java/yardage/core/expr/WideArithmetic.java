package yardage.core.expr;

import java.math.BigDecimal;
import yardage.core.column.*;

/**
 * {@link Arithmetic} with decimals of more than 18 digits, among the operands or as the result.
 * Sums and products are computed in 128 bits; quotients, and products that must be rounded, a value
 * at a time.
 */
final class WideArithmetic {
  private final Arithmetic call;
  private final Column left;
  private final Column right;
  private final long[] nulls;
  private final Type type;
  private final int rows;
  private final long[] high;
  private final long[] low;

  WideArithmetic(Arithmetic call, Column left, Column right, long[] nulls) {
    this.call = call;
    this.left = left;
    this.right = right;
    this.nulls = nulls;
    this.rows = left.size();
    this.high = new long[rows];
    this.low = new long[rows];
    this.type = Type.decimal(Type.MAX_DECIMAL_PRECISION, call.type().scale());
  }

  /** The values, with the most digits that there are; they may not fit the call's own type. */
  Column result() {
    int scale = type.scale();
    boolean exact =
        switch (call.op()) {
          case ADD, SUBTRACT -> left.type().scale() <= scale && right.type().scale() <= scale;
          case MULTIPLY -> left.type().scale() + right.type().scale() == scale;
          case DIVIDE, MOD -> false;
        };
    if (!exact) {
      return oneByOne();
    }
    switch (call.op()) {
      case ADD, SUBTRACT -> sums();
      default -> products();
    }
    int digits = digits();
    for (int i = 0; i < rows; i++) {
      if (!Int128.hasDigits(high[i], low[i], digits) && !Bits.get(nulls, i)) {
        throw call.overflow(left, right, i);
      }
    }
    return new WideColumn(type, high, low, nulls, rows);
  }

  /** The most digits of a result; where its type is narrower, the conversion to it sees to that. */
  private int digits() {
    return call.type().isWide() ? call.type().precision() : type.precision();
  }

  private void sums() {
    WideColumn a = (WideColumn) Numbers.convert(left, type);
    WideColumn b = (WideColumn) Numbers.convert(right, type);
    boolean add = call.op() == Arithmetic.Op.ADD;
    for (int i = 0; i < rows; i++) {
      long aHigh = a.high()[i];
      long aLow = a.low()[i];
      long bHigh = b.high()[i];
      long bLow = b.low()[i];
      long h;
      long overflow;
      if (add) {
        low[i] = aLow + bLow;
        h = Int128.highOfSum(aHigh, bHigh, aLow, low[i]);
        overflow = (aHigh ^ h) & (bHigh ^ h);
      } else {
        low[i] = aLow - bLow;
        h = Int128.highOfDifference(aHigh, bHigh, aLow, bLow);
        overflow = (aHigh ^ bHigh) & (aHigh ^ h);
      }
      // The least number of 128 bits has more digits than any type: it stands for what was lost.
      high[i] = overflow < 0 ? Long.MIN_VALUE : h;
    }
  }

  private void products() {
    WideColumn a = Numbers.widened(left, type);
    WideColumn b = Numbers.widened(right, type);
    for (int i = 0; i < rows; i++) {
      if (!Int128.multiply(a.high()[i], a.low()[i], b.high()[i], b.low()[i], high, low, i)) {
        high[i] = Long.MIN_VALUE;
      }
    }
  }

  private Column oneByOne() {
    WideBuilder out = new WideBuilder(type);
    for (int i = 0; i < rows; i++) {
      if (Bits.get(nulls, i)) {
        out.appendNull();
        continue;
      }
      BigDecimal b = Numbers.exact(right, i);
      boolean divides = call.op() == Arithmetic.Op.DIVIDE || call.op() == Arithmetic.Op.MOD;
      if (divides && b.signum() == 0) {
        throw call.divisionByZero(left, i);
      }
      BigDecimal result = call.op().of(Numbers.exact(left, i), b, type.scale());
      if (result.precision() > digits()) {
        throw call.overflow(left, right, i);
      }
      out.append(result.unscaledValue());
    }
    return out.build();
  }
}

package yardage.core.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import yardage.core.column.*;

/**
 * {@code + - * / mod} in a given result type. Whole numbers and decimals are exact: what does not
 * fit, and a division by zero, is an error that names both values, never a wrapped number.
 */
public record Arithmetic(Op op, Expression left, Expression right, Type type)
    implements Expression {
  /** The operators. */
  public enum Op {
    ADD("+"),
    SUBTRACT("-"),
    MULTIPLY("*"),
    DIVIDE("/"),
    MOD("mod");

    final String sign;

    Op(String sign) {
      this.sign = sign;
    }

    /** The result, rounded half away from zero. */
    BigDecimal of(BigDecimal a, BigDecimal b, int scale) {
      return switch (this) {
        case ADD -> a.add(b).setScale(scale, RoundingMode.HALF_UP);
        case SUBTRACT -> a.subtract(b).setScale(scale, RoundingMode.HALF_UP);
        case MULTIPLY -> a.multiply(b).setScale(scale, RoundingMode.HALF_UP);
        case DIVIDE -> a.divide(b, scale, RoundingMode.HALF_UP);
        case MOD -> a.remainder(b).setScale(scale, RoundingMode.HALF_UP);
      };
    }
  }

  @Override
  public Column evaluate(Batch batch) {
    Column a = left.evaluate(batch);
    Column b = right.evaluate(batch);
    long[] nulls = Bits.or(a.nulls(), b.nulls());
    if (type.isApproximate()) {
      return Numbers.convert(doubles(a, b, nulls), type);
    }
    if (type.isWide() || a.type().isWide() || b.type().isWide()) {
      return Numbers.convert(new WideArithmetic(this, a, b, nulls).result(), type);
    }
    boolean decimal =
        type.kind() == Type.Kind.DECIMAL
            || a.type().kind() == Type.Kind.DECIMAL
            || b.type().kind() == Type.Kind.DECIMAL;
    if (decimal && (op == Op.MULTIPLY || op == Op.DIVIDE || op == Op.MOD)) {
      return decimals(a, b, nulls);
    }
    Type all = decimal ? Type.decimal(Type.MAX_LONG_DIGITS, type.scale()) : Type.BIGINT;
    LongColumn x = (LongColumn) Numbers.convert(a, all);
    LongColumn y = (LongColumn) Numbers.convert(b, all);
    Column out = longs(x, y, nulls, all);
    return Numbers.convert(out, type);
  }

  private Column longs(LongColumn a, LongColumn b, long[] nulls, Type all) {
    int n = a.size();
    long[] x = a.values();
    long[] y = b.values();
    long[] out = new long[n];
    long overflow = 0;
    switch (op) {
      case ADD:
        for (int i = 0; i < n; i++) {
          long r = x[i] + y[i];
          overflow |= (x[i] ^ r) & (y[i] ^ r);
          out[i] = r;
        }
        break;
      case SUBTRACT:
        for (int i = 0; i < n; i++) {
          long r = x[i] - y[i];
          overflow |= (x[i] ^ y[i]) & (x[i] ^ r);
          out[i] = r;
        }
        break;
      case MULTIPLY:
        for (int i = 0; i < n; i++) {
          out[i] = x[i] * y[i];
          overflow |= (Math.multiplyHigh(x[i], y[i]) ^ (out[i] >> 63)) == 0 ? 0 : -1;
        }
        break;
      case DIVIDE, MOD:
        for (int i = 0; i < n; i++) {
          if (y[i] == 0) {
            if (!Bits.get(nulls, i)) {
              throw divisionByZero(a, i);
            }
          } else {
            out[i] = op == Op.DIVIDE ? x[i] / y[i] : x[i] % y[i];
          }
        }
        break;
    }
    if (overflow < 0) {
      // The values of null rows are unspecified and may overflow: look again, with care, for a real
      // one.
      for (int i = 0; i < n; i++) {
        if (!Bits.get(nulls, i)) {
          try {
            switch (op) {
              case ADD -> Math.addExact(x[i], y[i]);
              case SUBTRACT -> Math.subtractExact(x[i], y[i]);
              default -> Math.multiplyExact(x[i], y[i]);
            }
          } catch (ArithmeticException e) {
            throw overflow(a, b, i);
          }
        }
      }
    }
    return new LongColumn(all, out, nulls, n);
  }

  private Column doubles(Column a, Column b, long[] nulls) {
    int n = a.size();
    double[] x = Numbers.doubles(a);
    double[] y = Numbers.doubles(b);
    double[] out = new double[n];
    switch (op) {
      case ADD:
        for (int i = 0; i < n; i++) {
          out[i] = x[i] + y[i];
        }
        break;
      case SUBTRACT:
        for (int i = 0; i < n; i++) {
          out[i] = x[i] - y[i];
        }
        break;
      case MULTIPLY:
        for (int i = 0; i < n; i++) {
          out[i] = x[i] * y[i];
        }
        break;
      case DIVIDE, MOD:
        for (int i = 0; i < n; i++) {
          if (y[i] == 0 && !Bits.get(nulls, i)) {
            throw divisionByZero(a, i);
          }
          out[i] = op == Op.DIVIDE ? x[i] / y[i] : x[i] % y[i];
        }
        break;
    }
    return new DoubleColumn(out, nulls, n);
  }

  private Column decimals(Column a, Column b, long[] nulls) {
    int n = a.size();
    Type x = a.type().kind() == Type.Kind.DECIMAL ? a.type() : Type.BIGINT;
    Type y = b.type().kind() == Type.Kind.DECIMAL ? b.type() : Type.BIGINT;
    long[] u = ((LongColumn) Numbers.convert(a, x)).values();
    long[] v = ((LongColumn) Numbers.convert(b, y)).values();
    long[] out = new long[n];
    boolean plainProduct = op == Op.MULTIPLY && x.scale() + y.scale() == type.scale();
    long limit =
        type.kind() == Type.Kind.DECIMAL ? Values.powerOfTen(type.precision()) : Long.MAX_VALUE;
    for (int i = 0; i < n; i++) {
      if (Bits.get(nulls, i)) {
        continue;
      }
      if (plainProduct) {
        long r = u[i] * v[i];
        if (Math.multiplyHigh(u[i], v[i]) != r >> 63 || r >= limit || r <= -limit) {
          throw overflow(a, b, i);
        }
        out[i] = r;
        continue;
      }
      if (op != Op.MULTIPLY && v[i] == 0) {
        throw divisionByZero(a, i);
      }
      BigDecimal r =
          op.of(
              BigDecimal.valueOf(u[i], x.scale()),
              BigDecimal.valueOf(v[i], y.scale()),
              type.scale());
      if (r.unscaledValue().bitLength() > 63 || Math.abs(r.unscaledValue().longValue()) >= limit) {
        throw overflow(a, b, i);
      }
      out[i] = r.unscaledValue().longValue();
    }
    Type held = type.kind() == Type.Kind.DECIMAL ? type : Type.BIGINT;
    return Numbers.convert(new LongColumn(held, out, nulls, n), type);
  }

  ExpressionException divisionByZero(Column a, int row) {
    return new ExpressionException(
        "Division by zero: [%s] %s 0; guard it, as in nullif(divisor, 0)"
            .formatted(Values.text(a.value(row)), op.sign));
  }

  ExpressionException overflow(Column a, Column b, int row) {
    return new ExpressionException(
        "[%s] %s [%s] does not fit %s; %s"
            .formatted(
                Values.text(a.value(row)),
                op.sign,
                Values.text(b.value(row)),
                type,
                type.precision() == Type.MAX_DECIMAL_PRECISION
                    ? "cast an operand to fewer digits behind the point, or to double"
                    : "cast an operand to a wider type"));
  }
}

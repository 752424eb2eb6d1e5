package yardage.core.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import yardage.core.column.*;

/** Conversions between the numeric types, a column at a time. */
final class Numbers {
  private Numbers() {}

  /** The narrowest type that both sides can be compared or added in. */
  static Type common(Type a, Type b) {
    if (a.kind() == Type.Kind.DOUBLE || b.kind() == Type.Kind.DOUBLE) {
      return Type.DOUBLE;
    }
    if (a.kind() == Type.Kind.DECIMAL || b.kind() == Type.Kind.DECIMAL) {
      return Type.decimal(Type.MAX_DECIMAL_PRECISION, Math.max(a.scale(), b.scale()));
    }
    return a.kind() == Type.Kind.BIGINT || b.kind() == Type.Kind.BIGINT ? Type.BIGINT : Type.INT;
  }

  static Column convert(Column column, Type to) {
    Type from = column.type();
    if (from.equals(to)) {
      return column;
    }
    return switch (to.kind()) {
      case DOUBLE -> new DoubleColumn(doubles(column), column.nulls(), column.size());
      case BIGINT, DECIMAL -> new LongColumn(to, scaled(column, to), column.nulls(), column.size());
      case INT -> new IntColumn(to, ints(column), column.nulls(), column.size());
      default -> throw new IllegalArgumentException("Not a numeric type: " + to);
    };
  }

  /** The values as doubles; those of null rows are unspecified. */
  static double[] doubles(Column column) {
    int n = column.size();
    if (column instanceof DoubleColumn d) {
      return d.values();
    }
    double[] out = new double[n];
    if (column instanceof IntColumn c) {
      int[] v = c.values();
      for (int i = 0; i < n; i++) {
        out[i] = v[i];
      }
    } else {
      long[] v = ((LongColumn) column).values();
      if (column.type().scale() == 0) {
        for (int i = 0; i < n; i++) {
          out[i] = v[i];
        }
      } else {
        // Dividing by a power of ten rounds once, as parsing the decimal text would; multiplying by
        // 0.01 rounds twice.
        double unit = Values.powerOfTen(column.type().scale());
        for (int i = 0; i < n; i++) {
          out[i] = v[i] / unit;
        }
      }
    }
    return out;
  }

  private static long[] scaled(Column column, Type to) {
    int n = column.size();
    long[] out = new long[n];
    long limit = to.kind() == Type.Kind.DECIMAL ? Values.powerOfTen(to.precision()) : 0;
    if (column instanceof IntColumn c) {
      int[] v = c.values();
      long unit = Values.powerOfTen(to.scale());
      for (int i = 0; i < n; i++) {
        out[i] = v[i] * unit;
        if (limit != 0
            && (Math.abs(out[i]) >= limit || Math.multiplyHigh(v[i], unit) != out[i] >> 63)
            && !column.isNull(i)) {
          throw outOfRange(column, i, to);
        }
      }
    } else if (column instanceof LongColumn c) {
      long[] v = c.values();
      int shift = to.scale() - column.type().scale();
      for (int i = 0; i < n; i++) {
        if (column.isNull(i)) {
          continue;
        }
        out[i] =
            shift >= 0
                ? v[i] * Values.powerOfTen(shift)
                : divideHalfUp(v[i], Values.powerOfTen(-shift));
        if ((shift > 0 && Math.multiplyHigh(v[i], Values.powerOfTen(shift)) != out[i] >> 63)
            || (limit != 0 && (out[i] >= limit || out[i] <= -limit))) {
          throw outOfRange(column, i, to);
        }
      }
    } else {
      double[] v = ((DoubleColumn) column).values();
      for (int i = 0; i < n; i++) {
        if (column.isNull(i)) {
          continue;
        }
        if (!Double.isFinite(v[i])) {
          throw outOfRange(column, i, to);
        }
        BigDecimal d =
            BigDecimal.valueOf(v[i])
                .setScale(
                    to.scale(),
                    to.kind() == Type.Kind.BIGINT ? RoundingMode.DOWN : RoundingMode.HALF_UP);
        if (d.precision() > 19
            || d.unscaledValue().bitLength() > 63
            || (limit != 0 && Math.abs(d.unscaledValue().longValue()) >= limit)) {
          throw outOfRange(column, i, to);
        }
        out[i] = d.unscaledValue().longValue();
      }
    }
    return out;
  }

  private static int[] ints(Column column) {
    long[] wide = ((LongColumn) convert(column, Type.BIGINT)).values();
    int[] out = new int[column.size()];
    for (int i = 0; i < out.length; i++) {
      out[i] = (int) wide[i];
      if (out[i] != wide[i] && !column.isNull(i)) {
        throw outOfRange(column, i, Type.INT);
      }
    }
    return out;
  }

  /** Quotient rounded half away from zero. */
  static long divideHalfUp(long value, long divisor) {
    long quotient = value / divisor;
    long rest = Math.abs(value % divisor);
    long half = Math.abs(divisor) - rest;
    return rest >= half ? quotient + ((value < 0) == (divisor < 0) ? 1 : -1) : quotient;
  }

  static ExpressionException outOfRange(Column column, int row, Type to) {
    return new ExpressionException(
        "Value [%s] does not fit %s".formatted(Values.text(column.value(row)), to));
  }
}

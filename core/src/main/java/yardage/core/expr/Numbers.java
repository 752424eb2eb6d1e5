package yardage.core.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import yardage.core.column.*;

/** Conversions between the numeric types, a column at a time. */
final class Numbers {
  private Numbers() {}

  static Column convert(Column column, Type to) {
    Type from = column.type();
    if (from.equals(to)) {
      return column;
    }
    return switch (to.kind()) {
      case FLOAT -> floats(column);
      case DOUBLE -> new DoubleColumn(doubles(column), column.nulls(), column.size());
      case BIGINT -> new LongColumn(to, scaled(column, to), column.nulls(), column.size());
      case DECIMAL ->
          to.isWide()
              ? wide(column, to)
              : new LongColumn(to, scaled(column, to), column.nulls(), column.size());
      case INT -> new IntColumn(to, ints(column), column.nulls(), column.size());
      default -> throw new IllegalArgumentException("Not a numeric type: " + to);
    };
  }

  /** The values rounded to floats, which a finite number may be too large for. */
  private static DoubleColumn floats(Column column) {
    double[] from = doubles(column);
    double[] out = new double[column.size()];
    for (int i = 0; i < out.length; i++) {
      out[i] = (float) from[i];
      if (Double.isInfinite(out[i]) && Double.isFinite(from[i]) && !column.isNull(i)) {
        throw outOfRange(column, i, Type.FLOAT);
      }
    }
    return new DoubleColumn(Type.FLOAT, out, column.nulls(), out.length);
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
    } else if (column instanceof WideColumn c) {
      for (int i = 0; i < n; i++) {
        out[i] = c.isNull(i) ? 0 : c.decimal(i).doubleValue();
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

  /**
   * Whole numbers and decimals as they are held in two words, without a change of scale.
   *
   * @param type to give the column; of its values only those of null rows may not fit it
   */
  static WideColumn widened(Column column, Type type) {
    if (column instanceof WideColumn wide) {
      return wide;
    }
    int n = column.size();
    long[] low;
    if (column instanceof IntColumn c) {
      low = new long[n];
      for (int i = 0; i < n; i++) {
        low[i] = c.values()[i];
      }
    } else {
      low = ((LongColumn) column).values();
    }
    long[] high = new long[n];
    for (int i = 0; i < n; i++) {
      high[i] = low[i] >> 63;
    }
    return new WideColumn(type, high, low, column.nulls(), n);
  }

  private static WideColumn wide(Column column, Type to) {
    if (column instanceof DoubleColumn doubles) {
      return wideOfDoubles(doubles, to);
    }
    WideColumn from = widened(column, to);
    int shift = to.scale() - column.type().scale();
    if (shift == 0 && column.type().wholeDigits() <= to.wholeDigits()) {
      return from.as(to);
    }
    int n = from.size();
    long[] high = new long[n];
    long[] low = new long[n];
    for (int i = 0; i < n; i++) {
      if (column.isNull(i)) {
        continue;
      }
      if (!Int128.rescale(from.high()[i], from.low()[i], shift, high, low, i)
          || !Int128.hasDigits(high[i], low[i], to.precision())) {
        throw outOfRange(column, i, to);
      }
    }
    return new WideColumn(to, high, low, column.nulls(), n);
  }

  /** A whole number or a decimal, of a row that is no null. */
  static BigDecimal exact(Column column, int row) {
    return column.value(row) instanceof BigDecimal d
        ? d
        : BigDecimal.valueOf(((Number) column.value(row)).longValue());
  }

  private static WideColumn wideOfDoubles(DoubleColumn column, Type to) {
    WideBuilder out = new WideBuilder(to);
    for (int i = 0; i < column.size(); i++) {
      if (column.isNull(i)) {
        out.appendNull();
        continue;
      }
      BigDecimal d = decimal(column, i, to, RoundingMode.HALF_UP);
      if (d.precision() > to.precision()) {
        throw outOfRange(column, i, to);
      }
      out.append(d.unscaledValue());
    }
    return out.build();
  }

  /** A double as the decimal that it is written as, with the scale of a type. */
  private static BigDecimal decimal(DoubleColumn column, int row, Type to, RoundingMode rounding) {
    double v = column.values()[row];
    if (!Double.isFinite(v)) {
      throw outOfRange(column, row, to);
    }
    return new BigDecimal(column.value(row).toString()).setScale(to.scale(), rounding);
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
                : Values.divideHalfUp(v[i], Values.powerOfTen(-shift));
        if ((shift > 0 && Math.multiplyHigh(v[i], Values.powerOfTen(shift)) != out[i] >> 63)
            || (limit != 0 && (out[i] >= limit || out[i] <= -limit))) {
          throw outOfRange(column, i, to);
        }
      }
    } else if (column instanceof WideColumn c) {
      narrow(c, to, limit, out);
    } else {
      RoundingMode rounding =
          to.kind() == Type.Kind.BIGINT ? RoundingMode.DOWN : RoundingMode.HALF_UP;
      for (int i = 0; i < n; i++) {
        if (column.isNull(i)) {
          continue;
        }
        BigDecimal d = decimal((DoubleColumn) column, i, to, rounding);
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

  private static void narrow(WideColumn column, Type to, long limit, long[] out) {
    int shift = to.scale() - column.type().scale();
    long[] high = new long[1];
    long[] low = new long[1];
    for (int i = 0; i < out.length; i++) {
      if (column.isNull(i)) {
        continue;
      }
      long h = column.high()[i];
      long l = column.low()[i];
      if (shift != 0) {
        if (!Int128.rescale(h, l, shift, high, low, 0)) {
          throw outOfRange(column, i, to);
        }
        h = high[0];
        l = low[0];
      }
      if (!Int128.fitsLong(h, l) || (limit != 0 && (l >= limit || l <= -limit))) {
        throw outOfRange(column, i, to);
      }
      out[i] = l;
    }
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

  static ExpressionException outOfRange(Column column, int row, Type to) {
    return new ExpressionException(
        "Value [%s] does not fit %s".formatted(Values.text(column.value(row)), to));
  }
}

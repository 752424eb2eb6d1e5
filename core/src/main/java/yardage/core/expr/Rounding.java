package yardage.core.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import yardage.core.column.*;

/**
 * {@code ABS}, {@code SIGN}, {@code FLOOR}, {@code CEIL}, {@code ROUND} and {@code TRUNCATE} to
 * some digits after the point.
 */
public record Rounding(Mode mode, Expression operand, int digits, Type type) implements Expression {
  /** What is done. */
  public enum Mode {
    ABSOLUTE(null),
    SIGN(null),
    FLOOR(RoundingMode.FLOOR),
    CEILING(RoundingMode.CEILING),
    HALF_UP(RoundingMode.HALF_UP),
    DOWN(RoundingMode.DOWN);

    final RoundingMode rounding;

    Mode(RoundingMode rounding) {
      this.rounding = rounding;
    }
  }

  @Override
  public Column evaluate(Batch batch) {
    Column column = operand.evaluate(batch);
    int n = column.size();
    if (column instanceof DoubleColumn c) {
      double[] out = new double[n];
      for (int i = 0; i < n; i++) {
        double v = c.values()[i];
        out[i] =
            !Double.isFinite(v)
                ? v
                : switch (mode) {
                  case ABSOLUTE -> Math.abs(v);
                  case SIGN -> Math.signum(v);
                  case FLOOR -> Math.floor(v);
                  case CEILING -> Math.ceil(v);
                  default -> BigDecimal.valueOf(v).setScale(digits, mode.rounding).doubleValue();
                };
      }
      return Cast.to(new DoubleColumn(out, column.nulls(), n), type);
    }
    if (column instanceof WideColumn wide) {
      return Cast.to(decimals(wide), type);
    }
    LongColumn longs =
        (LongColumn) (column instanceof LongColumn ? column : Numbers.convert(column, Type.BIGINT));
    int scale = longs.type().scale();
    long[] out = new long[n];
    for (int i = 0; i < n; i++) {
      if (!longs.isNull(i)) {
        long v = longs.values()[i];
        out[i] =
            switch (mode) {
              case ABSOLUTE -> Math.absExact(v);
              case SIGN -> Long.signum(v) * Values.powerOfTen(scale);
              default ->
                  BigDecimal.valueOf(v, scale)
                      .setScale(Math.min(digits, scale), mode.rounding)
                      .setScale(scale)
                      .unscaledValue()
                      .longValueExact();
            };
      }
    }
    return Cast.to(new LongColumn(longs.type(), out, longs.nulls(), n), type);
  }

  private Column decimals(WideColumn column) {
    int scale = column.type().scale();
    WideBuilder out = new WideBuilder(column.type());
    for (int i = 0; i < column.size(); i++) {
      if (column.isNull(i)) {
        out.appendNull();
        continue;
      }
      BigDecimal v = column.decimal(i);
      BigDecimal result =
          switch (mode) {
            case ABSOLUTE -> v.abs();
            case SIGN -> BigDecimal.valueOf(v.signum());
            default -> v.setScale(Math.min(digits, scale), mode.rounding);
          };
      out.append(result.setScale(scale).unscaledValue());
    }
    return out.build();
  }
}

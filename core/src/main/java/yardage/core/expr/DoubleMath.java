package yardage.core.expr;

import java.util.function.DoubleUnaryOperator;
import yardage.core.column.*;

/**
 * Functions of doubles. A value outside of a function's domain is an error that names it, as is a
 * result that is too large; what is infinite or no number already stays so.
 */
public record DoubleMath(Function function, Expression operand) implements Expression {
  /** The functions of one number. */
  public enum Function {
    SQRT(Math::sqrt),
    EXP(Math::exp),
    LN(Math::log),
    LOG10(Math::log10),
    SIN(Math::sin),
    COS(Math::cos),
    TAN(Math::tan),
    ASIN(Math::asin),
    ACOS(Math::acos),
    ATAN(Math::atan),
    DEGREES(Math::toDegrees),
    RADIANS(Math::toRadians);

    private final DoubleUnaryOperator of;

    Function(DoubleUnaryOperator of) {
      this.of = of;
    }
  }

  @Override
  public Type type() {
    return Type.DOUBLE;
  }

  @Override
  public Column evaluate(Batch batch) {
    Column column = operand.evaluate(batch);
    double[] values = Numbers.doubles(column);
    double[] out = new double[column.size()];
    for (int i = 0; i < out.length; i++) {
      if (!column.isNull(i)) {
        out[i] = function.of.applyAsDouble(values[i]);
        if (!Double.isFinite(out[i]) && Double.isFinite(values[i])) {
          throw new ExpressionException(
              "%s of [%s] is not a number".formatted(function, Values.text(column.value(i))));
        }
      }
    }
    return new DoubleColumn(out, column.nulls(), out.length);
  }

  /** {@code POWER(base, exponent)}. */
  public record Power(Expression base, Expression exponent) implements Expression {
    @Override
    public Type type() {
      return Type.DOUBLE;
    }

    @Override
    public Column evaluate(Batch batch) {
      Column b = base.evaluate(batch);
      Column e = exponent.evaluate(batch);
      double[] x = Numbers.doubles(b);
      double[] y = Numbers.doubles(e);
      double[] out = new double[b.size()];
      for (int i = 0; i < out.length; i++) {
        if (!b.isNull(i) && !e.isNull(i)) {
          out[i] = Math.pow(x[i], y[i]);
          if (!Double.isFinite(out[i]) && Double.isFinite(x[i]) && Double.isFinite(y[i])) {
            throw new ExpressionException(
                "POWER of [%s] and [%s] is not a number"
                    .formatted(Values.text(b.value(i)), Values.text(e.value(i))));
          }
        }
      }
      return new DoubleColumn(out, Bits.or(b.nulls(), e.nulls()), out.length);
    }
  }
}

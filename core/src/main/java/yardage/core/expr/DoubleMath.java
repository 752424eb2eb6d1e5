package yardage.core.expr;

import java.util.function.DoubleBinaryOperator;
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
    CBRT(Math::cbrt),
    EXP(Math::exp),
    LN(Math::log),
    LOG10(Math::log10),
    SIN(Math::sin),
    COS(Math::cos),
    TAN(Math::tan),
    ASIN(Math::asin),
    ACOS(Math::acos),
    ATAN(Math::atan),
    SINH(Math::sinh),
    COSH(Math::cosh),
    TANH(Math::tanh),
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

  /** A function of two numbers. */
  public record OfTwo(Function function, Expression first, Expression second)
      implements Expression {
    /** The functions of two numbers. */
    public enum Function {
      POWER(Math::pow),
      ATAN2(Math::atan2);

      private final DoubleBinaryOperator of;

      Function(DoubleBinaryOperator of) {
        this.of = of;
      }
    }

    @Override
    public Type type() {
      return Type.DOUBLE;
    }

    @Override
    public Column evaluate(Batch batch) {
      Column a = first.evaluate(batch);
      Column b = second.evaluate(batch);
      double[] x = Numbers.doubles(a);
      double[] y = Numbers.doubles(b);
      double[] out = new double[a.size()];
      for (int i = 0; i < out.length; i++) {
        if (!a.isNull(i) && !b.isNull(i)) {
          out[i] = function.of.applyAsDouble(x[i], y[i]);
          if (!Double.isFinite(out[i]) && Double.isFinite(x[i]) && Double.isFinite(y[i])) {
            throw new ExpressionException(
                "%s of [%s] and [%s] is not a number"
                    .formatted(function, Values.text(a.value(i)), Values.text(b.value(i))));
          }
        }
      }
      return new DoubleColumn(out, Bits.or(a.nulls(), b.nulls()), out.length);
    }
  }
}

package yardage.core.sql;

import java.math.BigDecimal;
import java.util.Locale;
import java.util.function.Function;
import org.apache.calcite.avatica.util.TimeUnit;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.type.SqlTypeName;
import yardage.core.column.Type;
import yardage.core.expr.Arithmetic;
import yardage.core.expr.Cast;
import yardage.core.expr.Dates;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;

/**
 * Intervals inside expressions (ISO SQL:2016, 4.6.3 and 6.36): those of years and months are held
 * as months, those of days and less as microseconds, as BIGINT. They move dates and times, are
 * compared and reckoned with, and are no columns.
 */
final class Intervals {
  private final Function<RexNode, Expression> translate;

  Intervals(Function<RexNode, Expression> translate) {
    this.translate = translate;
  }

  static boolean is(RexNode node) {
    return is(node.getType());
  }

  static boolean is(RelDataType type) {
    return SqlTypeName.INTERVAL_TYPES.contains(type.getSqlTypeName());
  }

  /** Whether values of a type are intervals, or hold some. */
  static boolean isIn(RelDataType type) {
    return is(type)
        || type.getComponentType() != null && isIn(type.getComponentType())
        || type.getValueType() != null && isIn(type.getValueType())
        || type.isStruct() && type.getFieldList().stream().anyMatch(f -> isIn(f.getType()));
  }

  private static boolean isOfMonths(RelDataType type) {
    return SqlTypeName.YEAR_INTERVAL_TYPES.contains(type.getSqlTypeName());
  }

  /** The months or microseconds of a constant. */
  static long value(RexLiteral interval) {
    BigDecimal value = interval.getValueAs(BigDecimal.class);
    // The library counts milliseconds.
    return isOfMonths(interval.getType())
        ? value.longValueExact()
        : value.movePointRight(3).longValueExact();
  }

  /** What a unit has of months or microseconds. */
  private static long size(TimeUnit unit) {
    return size(Dates.Unit.valueOf(unit.name()));
  }

  private static long size(Dates.Unit unit) {
    return unit.months() + unit.micros();
  }

  /** The size of the last unit that a type of intervals names; of seconds also their fractions. */
  private static long least(RelDataType type) {
    TimeUnit unit = type.getIntervalQualifier().getUnit();
    return unit == TimeUnit.SECOND ? 1 : size(unit);
  }

  /** A date or time moved by an interval. */
  Expression moved(RexNode base, RexNode by, int sign) {
    boolean months = isOfMonths(by.getType());
    Expression from = translate.apply(base);
    if (by instanceof RexLiteral literal && !literal.isNull()) {
      long value = sign * value(literal);
      return new Dates.Shift(from, months ? Math.toIntExact(value) : 0, months ? 0 : value);
    }
    return new Dates.Shift(from, translate.apply(by), months ? sign : 0, months ? 0 : sign);
  }

  /** A call of {@code +}, {@code -}, {@code *} or {@code /} that gives an interval. */
  Expression of(RexCall call) {
    RexNode a = call.getOperands().get(0);
    RexNode b = call.getOperands().get(1);
    if (call.getKind() == SqlKind.MINUS && !is(a)) {
      boolean months = isOfMonths(call.getType());
      Expression apart =
          new Dates.Between(
              months ? Dates.Unit.MONTH : Dates.Unit.MICROSECOND,
              translate.apply(b),
              translate.apply(a));
      return whole(apart, least(call.getType()));
    }
    Arithmetic.Op op = RexTranslator.operation(call.getKind());
    Expression x = translate.apply(a);
    Expression y = translate.apply(b);
    return isInteger(x.type()) && isInteger(y.type())
        ? new Arithmetic(op, x, y, Type.BIGINT)
        : new Cast(
            new Arithmetic(
                op, Cast.ifNeeded(x, Type.DOUBLE), Cast.ifNeeded(y, Type.DOUBLE), Type.DOUBLE),
            Type.BIGINT);
  }

  private static boolean isInteger(Type type) {
    return type.equals(Type.INT) || type.equals(Type.BIGINT);
  }

  private static Expression whole(Expression value, long unit) {
    return unit == 1
        ? value
        : by(Arithmetic.Op.MULTIPLY, by(Arithmetic.Op.DIVIDE, value, unit), unit);
  }

  private static Expression by(Arithmetic.Op op, Expression value, long number) {
    return new Arithmetic(op, value, Literal.of(Type.BIGINT, number), Type.BIGINT);
  }

  /** A cast from or to an interval: numbers count the one unit that it has. */
  Expression cast(RexNode from, RelDataType to) {
    Expression value = translate.apply(from);
    if (is(from) && is(to)) {
      return whole(value, least(to));
    }
    Type type = is(to) ? Type.BIGINT : SqlTypes.fromSql(to);
    if (!(is(to) ? value.type().isNumeric() : type.isNumeric())) {
      throw new UnsupportedSqlException(
              "An interval is cast to numbers alone, as in CAST((a - b) DAY AS int)")
          .of("CAST");
    }
    RelDataType interval = is(to) ? to : from.getType();
    long unit = size(interval.getIntervalQualifier().getUnit());
    return is(to)
        ? by(Arithmetic.Op.MULTIPLY, Cast.ifNeeded(value, Type.BIGINT), unit)
        : Cast.ifNeeded(by(Arithmetic.Op.DIVIDE, value, unit), type);
  }

  /** {@code EXTRACT(unit FROM interval)}: what of the unit there is beside larger ones. */
  Expression part(Dates.Unit unit, RexNode interval, RelDataType to) {
    Expression value = translate.apply(interval);
    boolean months = isOfMonths(interval.getType());
    // Of all that there is, seconds since nothing are counted too.
    Dates.Unit counted = unit == Dates.Unit.EPOCH ? Dates.Unit.SECOND : unit;
    boolean fits = unit != Dates.Unit.WEEK && (months ? unit.months() : counted.micros()) > 0;
    if (!fits) {
      throw new UnsupportedSqlException(
              "This interval has no %s".formatted(unit.name().toLowerCase(Locale.ROOT)))
          .of("EXTRACT");
    }
    long within =
        switch (unit) {
          case QUARTER, MONTH -> size(Dates.Unit.YEAR);
          case HOUR -> size(Dates.Unit.DAY);
          case MINUTE -> size(Dates.Unit.HOUR);
          case SECOND, MILLISECOND, MICROSECOND -> size(Dates.Unit.MINUTE);
          default -> 0;
        };
    Expression rest = within == 0 ? value : by(Arithmetic.Op.MOD, value, within);
    return Cast.ifNeeded(by(Arithmetic.Op.DIVIDE, rest, size(counted)), SqlTypes.fromSql(to));
  }
}

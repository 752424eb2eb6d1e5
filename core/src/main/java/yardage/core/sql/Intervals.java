package yardage.core.sql;

import java.math.BigDecimal;
import java.util.List;
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
  private static final long DAY_MICROS = 86_400_000_000L;

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
    return switch (unit) {
      case YEAR -> 12;
      case QUARTER -> 3;
      case MONTH -> 1;
      case WEEK -> 7 * DAY_MICROS;
      case DAY -> DAY_MICROS;
      case HOUR -> DAY_MICROS / 24;
      case MINUTE -> DAY_MICROS / 24 / 60;
      case SECOND -> 1_000_000;
      case MILLISECOND -> 1_000;
      case MICROSECOND -> 1;
      default -> throw new UnsupportedSqlException("Intervals have no unit [%s]".formatted(unit));
    };
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
    Arithmetic.Op op =
        switch (call.getKind()) {
          case PLUS -> Arithmetic.Op.ADD;
          case MINUS -> Arithmetic.Op.SUBTRACT;
          case TIMES -> Arithmetic.Op.MULTIPLY;
          default -> Arithmetic.Op.DIVIDE;
        };
    Expression x = translate.apply(a);
    Expression y = translate.apply(b);
    boolean isWhole = List.of(x, y).stream().allMatch(e -> isInteger(e.type()));
    return isWhole
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
  Expression part(TimeUnit unit, RexNode interval, RelDataType to) {
    Expression value = translate.apply(interval);
    boolean months = isOfMonths(interval.getType());
    boolean fits =
        switch (unit) {
          case YEAR, QUARTER, MONTH -> months;
          case DAY, HOUR, MINUTE, SECOND, MILLISECOND, MICROSECOND, EPOCH -> !months;
          default -> false;
        };
    if (!fits) {
      throw new UnsupportedSqlException(
              "This interval has no %s".formatted(unit.name().toLowerCase(java.util.Locale.ROOT)))
          .of("EXTRACT");
    }
    long within =
        switch (unit) {
          case QUARTER, MONTH -> 12;
          case HOUR -> DAY_MICROS;
          case MINUTE -> size(TimeUnit.HOUR);
          case SECOND, MILLISECOND, MICROSECOND -> size(TimeUnit.MINUTE);
          default -> 0;
        };
    Expression rest = within == 0 ? value : by(Arithmetic.Op.MOD, value, within);
    return Cast.ifNeeded(
        by(Arithmetic.Op.DIVIDE, rest, unit == TimeUnit.EPOCH ? 1_000_000 : size(unit)),
        SqlTypes.fromSql(to));
  }
}

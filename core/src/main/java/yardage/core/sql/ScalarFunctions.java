package yardage.core.sql;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.sql.SqlFunction;
import org.apache.calcite.sql.SqlFunctionCategory;
import org.apache.calcite.sql.SqlJsonEmptyOrError;
import org.apache.calcite.sql.SqlJsonQueryEmptyOrErrorBehavior;
import org.apache.calcite.sql.SqlJsonQueryWrapperBehavior;
import org.apache.calcite.sql.SqlJsonValueEmptyOrErrorBehavior;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlOperator;
import org.apache.calcite.sql.fun.SqlLibraryOperators;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.type.OperandTypes;
import org.apache.calcite.sql.type.ReturnTypes;
import org.apache.calcite.sql.type.SqlOperandCountRanges;
import org.apache.calcite.sql.type.SqlOperandTypeChecker;
import org.apache.calcite.sql.type.SqlReturnTypeInference;
import org.apache.calcite.sql.type.SqlTypeFamily;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.sql.type.SqlTypeTransforms;
import yardage.core.column.Type;
import yardage.core.expr.Arithmetic;
import yardage.core.expr.AtZone;
import yardage.core.expr.Cast;
import yardage.core.expr.Comparison;
import yardage.core.expr.Dates;
import yardage.core.expr.DoubleMath;
import yardage.core.expr.Expression;
import yardage.core.expr.ExpressionException;
import yardage.core.expr.Extreme;
import yardage.core.expr.Likeness;
import yardage.core.expr.Literal;
import yardage.core.expr.Rounding;
import yardage.core.expr.TextFunctions;
import yardage.core.expr.TextParts;
import yardage.core.expr.TextShapes;
import yardage.core.expr.TextShapes.Shape;
import yardage.core.expr.Texts;
import yardage.core.expr.TimeTexts;
import yardage.core.expr.TryCast;
import yardage.core.format.json.JsonFunctions;

/** Functions of single values, by name: what the library must know of each, and what it does. */
final class ScalarFunctions {
  private static final SqlOperandTypeChecker TEXT = OperandTypes.CHARACTER;

  private static final SqlOperandTypeChecker TWO_TEXTS =
      OperandTypes.family(SqlTypeFamily.CHARACTER, SqlTypeFamily.CHARACTER);

  private static final SqlOperandTypeChecker TEXT_NUMBER =
      OperandTypes.family(SqlTypeFamily.CHARACTER, SqlTypeFamily.INTEGER);

  private static final SqlOperandTypeChecker PADS =
      OperandTypes.or(
          TEXT_NUMBER,
          OperandTypes.family(
              SqlTypeFamily.CHARACTER, SqlTypeFamily.INTEGER, SqlTypeFamily.CHARACTER));

  private static final SqlOperandTypeChecker TEXT_PATTERN_NUMBER =
      OperandTypes.or(
          TWO_TEXTS,
          OperandTypes.family(
              SqlTypeFamily.CHARACTER, SqlTypeFamily.CHARACTER, SqlTypeFamily.INTEGER));

  private static final SqlReturnTypeInference VARCHAR =
      ReturnTypes.VARCHAR.andThen(SqlTypeTransforms.TO_NULLABLE);

  /** Turns what clocks show into a point in time, and the other way round. */
  static final SqlFunction AT_TIME_ZONE =
      new SqlFunction(
          "AT TIME ZONE",
          SqlKind.OTHER_FUNCTION,
          binding ->
              binding
                  .getTypeFactory()
                  .createTypeWithNullability(
                      binding
                          .getTypeFactory()
                          .createSqlType(
                              binding.getOperandType(0).getSqlTypeName() == SqlTypeName.TIMESTAMP_TZ
                                  ? SqlTypeName.TIMESTAMP
                                  : SqlTypeName.TIMESTAMP_TZ,
                              SqlTypes.DIGITS_OF_SECOND),
                      binding.getOperandType(0).isNullable()),
          null,
          OperandTypes.family(SqlTypeFamily.TIMESTAMP, SqlTypeFamily.CHARACTER),
          SqlFunctionCategory.TIMEDATE);

  /** Makes the expression of a call. */
  private interface Maker {
    Expression make(Call call);
  }

  private record Function(SqlOperator operator, Maker maker) {}

  /** A call: its operands, and how to translate them. */
  record Call(RexCall rex, RexTranslator translator) {
    Type type() {
      return SqlTypes.fromSql(rex.getType());
    }

    int count() {
      return rex.getOperands().size();
    }

    Expression at(int i) {
      return translator.translate(rex.getOperands().get(i));
    }

    Optional<Expression> ifAny(int i) {
      return i < count() ? Optional.of(at(i)) : Optional.empty();
    }

    List<Expression> all() {
      return rex.getOperands().stream().map(translator::translate).toList();
    }

    String text(int i, String role) {
      return RexTranslator.text(rex.getOperands().get(i), role);
    }

    <E extends Enum<E>> E symbol(int i, Class<E> of) {
      return ((RexLiteral) rex.getOperands().get(i)).getValueAs(of);
    }

    int integer(int i) {
      return RexTranslator.integer(rex.getOperands().get(i));
    }
  }

  private static final List<Function> ALL = all();
  private static final Map<String, Maker> BY_NAME = new HashMap<>();

  static {
    ALL.forEach(f -> BY_NAME.put(f.operator().getName(), f.maker()));
  }

  private ScalarFunctions() {}

  private static List<Function> all() {
    List<Function> out = new ArrayList<>();
    for (DoubleMath.Function f : DoubleMath.Function.values()) {
      out.add(
          of(
              f.name(),
              ReturnTypes.DOUBLE_NULLABLE,
              OperandTypes.NUMERIC,
              c -> new DoubleMath(f, c.at(0))));
    }
    for (DoubleMath.OfTwo.Function f : DoubleMath.OfTwo.Function.values()) {
      out.add(
          of(
              f.name(),
              ReturnTypes.DOUBLE_NULLABLE,
              OperandTypes.NUMERIC_NUMERIC,
              c -> new DoubleMath.OfTwo(f, c.at(0), c.at(1))));
    }
    out.add(
        of("PI", ReturnTypes.DOUBLE, OperandTypes.NILADIC, c -> Literal.of(Type.DOUBLE, Math.PI)));
    out.add(
        of(
            "SIGN",
            ReturnTypes.ARG0,
            OperandTypes.NUMERIC,
            c -> new Rounding(Rounding.Mode.SIGN, c.at(0), 0, c.type())));
    out.add(new Function(SqlLibraryOperators.GREATEST, c -> new Extreme(true, c.all(), c.type())));
    out.add(new Function(SqlLibraryOperators.LEAST, c -> new Extreme(false, c.all(), c.type())));
    texts(out);
    patterns(out);
    times(out);
    json(out);
    return List.copyOf(out);
  }

  private static void texts(List<Function> out) {
    for (TextFunctions.Whole f : TextFunctions.Whole.values()) {
      out.add(of(f.name(), VARCHAR, TEXT, c -> new Texts.Mapped(f, c.at(0))));
    }
    for (Shape shape : Shape.values()) {
      boolean pads = shape == Shape.LPAD || shape == Shape.RPAD;
      out.add(
          of(
              shape.name(),
              VARCHAR,
              pads ? PADS : TEXT_NUMBER,
              c -> new TextShapes.Shaped(shape, c.at(0), c.at(1), c.ifAny(2))));
    }
    out.add(
        of(
            "CONCAT",
            VARCHAR,
            OperandTypes.repeat(SqlOperandCountRanges.from(1), OperandTypes.CHARACTER),
            c -> new Texts.Concat(c.all())));
    out.add(
        of(
            "LIKENESS",
            ReturnTypes.DOUBLE_NULLABLE,
            TWO_TEXTS,
            c -> new Likeness.Of(c.at(0), c.at(1))));
    out.add(of("LENGTH", ReturnTypes.INTEGER_NULLABLE, TEXT, c -> new Texts.Length(c.at(0))));
    out.add(
        of(
            "SUBSTR",
            VARCHAR,
            OperandTypes.or(
                TEXT_NUMBER,
                OperandTypes.family(
                    SqlTypeFamily.CHARACTER, SqlTypeFamily.INTEGER, SqlTypeFamily.INTEGER)),
            c -> new Texts.Substring(c.at(0), c.at(1), c.ifAny(2))));
    out.add(
        of(
            "OCTET_LENGTH",
            ReturnTypes.INTEGER_NULLABLE,
            OperandTypes.STRING,
            c -> new Texts.Octets(c.at(0))));
    out.add(
        of(
            "STARTS_WITH",
            ReturnTypes.BOOLEAN_NULLABLE,
            TWO_TEXTS,
            c -> new Comparison(Comparison.Op.EQ, end(Shape.LEFT, c), c.at(1))));
    out.add(
        of(
            "ENDS_WITH",
            ReturnTypes.BOOLEAN_NULLABLE,
            TWO_TEXTS,
            c -> new Comparison(Comparison.Op.EQ, end(Shape.RIGHT, c), c.at(1))));
    out.add(
        of(
            "UTF8_BYTES",
            ReturnTypes.VARBINARY.andThen(SqlTypeTransforms.TO_NULLABLE),
            TEXT,
            c -> new Texts.Bytes(c.at(0))));
    out.add(of("UTF8_TEXT", VARCHAR, OperandTypes.BINARY, c -> new Texts.OfBytes(c.at(0))));
    out.add(new Function(SqlStdOperatorTable.OVERLAY, ScalarFunctions::overlay));
  }

  private static Expression end(Shape side, Call c) {
    return new TextShapes.Shaped(side, c.at(0), new Texts.Length(c.at(1)), Optional.empty());
  }

  /** The text before the place, what is put there, and the text behind what it takes away. */
  private static Expression overlay(Call c) {
    Expression text = c.at(0);
    Expression by = c.at(1);
    Expression from = c.at(2);
    Expression length = c.count() > 3 ? c.at(3) : new Texts.Length(by);
    Expression one = Literal.of(Type.INT, 1);
    Expression before = new Arithmetic(Arithmetic.Op.SUBTRACT, from, one, Type.BIGINT);
    Expression behind = new Arithmetic(Arithmetic.Op.ADD, from, length, Type.BIGINT);
    return new Texts.Concat(
        List.of(
            new Texts.Substring(text, one, Optional.of(before)),
            by,
            new Texts.Substring(text, behind, Optional.empty())));
  }

  private static void patterns(List<Function> out) {
    out.add(
        of(
            "REGEXP_REPLACE",
            VARCHAR,
            OperandTypes.family(
                SqlTypeFamily.CHARACTER, SqlTypeFamily.CHARACTER, SqlTypeFamily.CHARACTER),
            c ->
                new TextParts.Replaced(
                    c.at(0),
                    TextParts.pattern(c.text(1, "the pattern of REGEXP_REPLACE")),
                    c.text(2, "what REGEXP_REPLACE puts there"))));
    out.add(
        of(
            "REGEXP_EXTRACT",
            ReturnTypes.VARCHAR.andThen(SqlTypeTransforms.FORCE_NULLABLE),
            TEXT_PATTERN_NUMBER,
            c ->
                new TextParts.Extracted(
                    c.at(0),
                    TextParts.pattern(c.text(1, "the pattern of REGEXP_EXTRACT")),
                    c.count() > 2 ? c.integer(2) : 0)));
  }

  private static void json(List<Function> out) {
    out.add(new Function(SqlStdOperatorTable.JSON_VALUE, ScalarFunctions::jsonValue));
    out.add(new Function(SqlStdOperatorTable.JSON_QUERY, ScalarFunctions::jsonQuery));
    out.add(
        of(
            "JSON_ITEMS",
            b ->
                NestedFunctions.nullable(
                    b, SqlTypes.toSql(Type.list(Type.VARCHAR), b.getTypeFactory())),
            OperandTypes.family(SqlTypeFamily.CHARACTER, SqlTypeFamily.CHARACTER),
            c -> new JsonFunctions.Items(c.at(0), path(c))));
    out.add(
        new Function(
            SqlStdOperatorTable.JSON_EXISTS,
            c -> {
              if (c.count() > 2) {
                throw new UnsupportedSqlException(
                    "JSON_EXISTS takes a text and a path; what is no JSON has nothing in it");
              }
              return new JsonFunctions.Exists(c.at(0), path(c));
            }));
  }

  private static String path(Call c) {
    return c.text(1, "the path into the JSON");
  }

  /** Behind text and path come what is given, and when: {@code DEFAULT 'x' ON EMPTY}. */
  private static Expression jsonValue(Call c) {
    Optional<String> onEmpty = Optional.empty();
    Optional<String> onError = Optional.empty();
    for (int i = 2; i < c.count(); ) {
      var behaviour = c.symbol(i, SqlJsonValueEmptyOrErrorBehavior.class);
      if (behaviour == SqlJsonValueEmptyOrErrorBehavior.ERROR) {
        throw new UnsupportedSqlException(
            "JSON_VALUE gives NULL or a DEFAULT, and no ERROR; a check of a pipeline finds what is not there");
      }
      boolean says = behaviour == SqlJsonValueEmptyOrErrorBehavior.DEFAULT;
      Optional<String> given =
          says ? Optional.of(c.text(i + 1, "the default of JSON_VALUE")) : Optional.empty();
      if (c.symbol(i + (says ? 2 : 1), SqlJsonEmptyOrError.class) == SqlJsonEmptyOrError.EMPTY) {
        onEmpty = given;
      } else {
        onError = given;
      }
      i += says ? 3 : 2;
    }
    Expression value = new JsonFunctions.Value(c.at(0), path(c), onEmpty, onError);
    return c.type().kind() == Type.Kind.VARCHAR ? value : new TryCast(value, c.type());
  }

  private static Expression jsonQuery(Call c) {
    for (int i = 3; i < c.count(); i++) {
      if (c.symbol(i, SqlJsonQueryEmptyOrErrorBehavior.class)
          != SqlJsonQueryEmptyOrErrorBehavior.NULL) {
        throw new UnsupportedSqlException("JSON_QUERY gives NULL where nothing is");
      }
    }
    return new JsonFunctions.Query(
        c.at(0),
        path(c),
        switch (c.symbol(2, SqlJsonQueryWrapperBehavior.class)) {
          case WITHOUT_ARRAY -> JsonFunctions.Query.Wraps.NEVER;
          case WITH_CONDITIONAL_ARRAY -> JsonFunctions.Query.Wraps.WHERE_NEEDED;
          case WITH_UNCONDITIONAL_ARRAY -> JsonFunctions.Query.Wraps.ALWAYS;
        });
  }

  private static void times(List<Function> out) {
    out.add(
        of(
            "DATE_TRUNC",
            ReturnTypes.ARG1_NULLABLE,
            OperandTypes.family(SqlTypeFamily.CHARACTER, SqlTypeFamily.DATETIME),
            c ->
                new Dates.Floor(
                    RexTranslator.fitting(
                        truncated(c.text(0, "the unit of DATE_TRUNC")),
                        c.rex().getOperands().get(1)),
                    c.at(1))));
    out.add(
        of(
            "TO_CHAR",
            VARCHAR,
            OperandTypes.family(SqlTypeFamily.DATETIME, SqlTypeFamily.CHARACTER),
            c -> new TimeTexts.Formatted(c.at(0), c.text(1, "the pattern of TO_CHAR"))));
    out.add(
        of(
            "TO_DATE",
            ReturnTypes.DATE_NULLABLE,
            TWO_TEXTS,
            c -> new TimeTexts.Read(c.at(0), c.text(1, "the pattern of TO_DATE"), Type.DATE)));
    out.add(
        of(
            "TO_TIME",
            ReturnTypes.explicit(SqlTypeName.TIME, SqlTypes.DIGITS_OF_SECOND)
                .andThen(SqlTypeTransforms.TO_NULLABLE),
            TWO_TEXTS,
            c -> new TimeTexts.Read(c.at(0), c.text(1, "the pattern of TO_TIME"), Type.TIME)));
    out.add(
        of(
            "TO_TIMESTAMP",
            ReturnTypes.explicit(SqlTypeName.TIMESTAMP, SqlTypes.DIGITS_OF_SECOND)
                .andThen(SqlTypeTransforms.TO_NULLABLE),
            TWO_TEXTS,
            c ->
                new TimeTexts.Read(
                    c.at(0), c.text(1, "the pattern of TO_TIMESTAMP"), Type.TIMESTAMP)));
    out.add(
        new Function(AT_TIME_ZONE, c -> AtZone.of(c.at(0), c.text(1, "the zone of AT TIME ZONE"))));
    out.add(new Function(SqlStdOperatorTable.LAST_DAY, c -> new Dates.LastDay(c.at(0))));
    out.add(new Function(SqlStdOperatorTable.TIMESTAMP_ADD, ScalarFunctions::moved));
    out.add(
        new Function(
            SqlStdOperatorTable.TIMESTAMP_DIFF,
            c ->
                new Dates.Between(
                    RexTranslator.unit(c.rex().getOperands().get(0)), c.at(1), c.at(2))));
  }

  private static Dates.Unit truncated(String unit) {
    return switch (unit.toLowerCase(Locale.ROOT)) {
      case "year" -> Dates.Unit.YEAR;
      case "quarter" -> Dates.Unit.QUARTER;
      case "month" -> Dates.Unit.MONTH;
      case "week" -> Dates.Unit.ISO_WEEK;
      case "day" -> Dates.Unit.DAY;
      case "hour" -> Dates.Unit.HOUR;
      case "minute" -> Dates.Unit.MINUTE;
      case "second" -> Dates.Unit.SECOND;
      case "millisecond" -> Dates.Unit.MILLISECOND;
      default ->
          throw new UnsupportedSqlException(
              "DATE_TRUNC has no unit [%s]; there are year, quarter, month, week, day, hour, minute, second and millisecond, as in DATE_TRUNC('month', woven_on)"
                  .formatted(unit));
    };
  }

  private static Expression moved(Call c) {
    Dates.Unit unit = RexTranslator.unit(c.rex().getOperands().get(0));
    Expression time = Cast.ifNeeded(c.at(2), c.type());
    if (!unit.isMeasure()) {
      throw new UnsupportedSqlException("Times are not moved by units of " + unit);
    }
    return new Dates.Shift(time, c.at(1), unit.months(), unit.micros());
  }

  private static Function of(
      String name, SqlReturnTypeInference type, SqlOperandTypeChecker operands, Maker maker) {
    // The parser looks this one up itself, among functions of time.
    SqlFunctionCategory category =
        name.equals("DATE_TRUNC")
            ? SqlFunctionCategory.TIMEDATE
            : SqlFunctionCategory.USER_DEFINED_FUNCTION;
    return new Function(
        new SqlFunction(name, SqlKind.OTHER_FUNCTION, type, null, operands, category), maker);
  }

  static List<SqlOperator> operators() {
    return ALL.stream().map(Function::operator).toList();
  }

  /**
   * The expression of a call, if it is of one of these functions.
   *
   * @throws UnsupportedSqlException when a constant operand is none, or is wrong
   */
  static Optional<Expression> make(RexCall call, RexTranslator translator) {
    Maker maker = BY_NAME.get(call.getOperator().getName());
    if (maker == null) {
      return Optional.empty();
    }
    try {
      return Optional.of(maker.make(new Call(call, translator)));
    } catch (ExpressionException e) {
      throw new UnsupportedSqlException(e.getMessage()).of(call.getOperator().getName());
    } catch (UnsupportedSqlException e) {
      throw e.function().isPresent() ? e : e.of(call.getOperator().getName());
    }
  }
}

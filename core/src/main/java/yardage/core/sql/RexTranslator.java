package yardage.core.sql;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import java.util.regex.Pattern;
import org.apache.calcite.avatica.util.ByteString;
import org.apache.calcite.avatica.util.TimeUnitRange;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexFieldAccess;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexOver;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.fun.SqlTrimFunction;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.util.DateString;
import org.apache.calcite.util.NlsString;
import org.apache.calcite.util.TimeString;
import org.apache.calcite.util.TimestampString;
import org.apache.calcite.util.TimestampWithTimeZoneString;
import yardage.core.column.Type;
import yardage.core.expr.*;
import yardage.core.format.json.JsonValues;
import yardage.core.format.tree.TreeExpressions;

/** The algebra's expressions to vectorised ones, over an input whose column types are given. */
final class RexTranslator {
  private final RexBuilder rexBuilder;
  private final Intervals intervals = new Intervals(this::translate);

  RexTranslator(RexBuilder rexBuilder) {
    this.rexBuilder = rexBuilder;
  }

  Expression translate(RexNode node) {
    if (node instanceof RexInputRef ref) {
      return Expression.input(ref.getIndex(), SqlTypes.fromSql(ref.getType()));
    } else if (node instanceof RexLiteral literal) {
      return literal(literal, SqlTypes.fromSql(literal.getType()));
    } else if (node instanceof RexFieldAccess access) {
      Expression struct = translate(access.getReferenceExpr());
      return new Nested.FieldOf(struct, access.getField().getIndex());
    } else if (node instanceof RexOver) {
      throw new UnsupportedSqlException("Window functions (… OVER …) are not supported yet");
    } else if (node instanceof RexCall call) {
      return call(call);
    }
    throw new UnsupportedSqlException("The expression [%s] is not supported".formatted(node));
  }

  static Literal literal(RexLiteral literal, Type type) {
    if (literal.isNull()) {
      return Literal.of(type, null);
    }
    if (Intervals.is(literal)) {
      return Literal.of(type, Intervals.value(literal));
    }
    return switch (type.kind()) {
      case BOOLEAN -> Literal.of(type, RexLiteral.booleanValue(literal));
      case INT -> Literal.of(type, literal.getValueAs(BigDecimal.class).intValueExact());
      case BIGINT -> Literal.of(type, literal.getValueAs(BigDecimal.class).longValueExact());
      case DOUBLE -> Literal.of(type, literal.getValueAs(Double.class));
      case FLOAT -> Literal.of(type, (double) literal.getValueAs(Double.class).floatValue());
      case DECIMAL ->
          Literal.decimal(
              type,
              literal.getValueAs(BigDecimal.class).setScale(type.scale(), RoundingMode.HALF_UP));
      case VARCHAR -> Literal.of(type, literal.getValueAs(NlsString.class).getValue());
      case DATE -> Literal.of(type, literal.getValueAs(DateString.class).getDaysSinceEpoch());
      case TIME -> Cast.parse(literal.getValueAs(TimeString.class).toString(), type);
      case TIMESTAMP -> Cast.parse(literal.getValueAs(TimestampString.class).toString(), type);
      case TIMESTAMP_TZ ->
          Cast.parse(literal.getValueAs(TimestampWithTimeZoneString.class).toString(), type);
      case BINARY -> Literal.of(type, literal.getValueAs(ByteString.class).toString(16));
      case UUID -> Literal.of(type, literal.getValueAs(UUID.class).toString());
      case STRUCT, LIST, MAP ->
          throw new UnsupportedSqlException(
              "Constants of type %s are not supported".formatted(type));
    };
  }

  private Expression call(RexCall call) {
    List<RexNode> o = call.getOperands();
    if (call.getOperator() == OuterRows.ONE_VALUE) {
      return new OneValue(translate(o.get(0)), translate(o.get(1)));
    }
    switch (call.getKind()) {
      case SEARCH:
        return translate(RexUtil.expandSearch(rexBuilder, null, call));
      case PLUS, MINUS, TIMES, DIVIDE, MOD:
        return arithmetic(call);
      case MINUS_PREFIX:
        Expression operand = translate(o.get(0));
        return new Arithmetic(
            Arithmetic.Op.SUBTRACT,
            Literal.zero(operand.type()),
            operand,
            SqlTypes.fromSql(call.getType()));
      case PLUS_PREFIX:
        return translate(o.get(0));
      case EQUALS:
        return comparison(Comparison.Op.EQ, o);
      case NOT_EQUALS:
        return comparison(Comparison.Op.NE, o);
      case LESS_THAN:
        return comparison(Comparison.Op.LT, o);
      case LESS_THAN_OR_EQUAL:
        return comparison(Comparison.Op.LE, o);
      case GREATER_THAN:
        return comparison(Comparison.Op.GT, o);
      case GREATER_THAN_OR_EQUAL:
        return comparison(Comparison.Op.GE, o);
      case IS_NOT_DISTINCT_FROM, IS_DISTINCT_FROM:
        return distinct(o, call.getKind() == SqlKind.IS_DISTINCT_FROM);
      case ITEM:
        Expression held = translate(o.get(0));
        return held.type().kind() == Type.Kind.MAP
            ? new Nested.ValueOf(held, translate(o.get(1)))
            : new Nested.ElementOf(held, translate(o.get(1)));
      case AND, OR:
        return junction(call.getKind() == SqlKind.AND, o);
      case NOT:
        return new Logic.Not(translate(o.get(0)));
      case IS_NULL:
        return new Logic.IsNull(translate(o.get(0)), false);
      case IS_NOT_NULL:
        return new Logic.IsNull(translate(o.get(0)), true);
      case IS_TRUE:
        return new Logic.IsTruth(translate(o.get(0)), true, false);
      case IS_NOT_TRUE:
        return new Logic.IsTruth(translate(o.get(0)), true, true);
      case IS_FALSE:
        return new Logic.IsTruth(translate(o.get(0)), false, false);
      case IS_NOT_FALSE:
        return new Logic.IsTruth(translate(o.get(0)), false, true);
      case CASE:
        return caseWhen(call);
      case COALESCE:
        return coalesce(call);
      case CAST:
        if (Intervals.is(call) || Intervals.is(o.get(0))) {
          return intervals.cast(o.get(0), call.getType());
        }
        return cut(cast(translate(o.get(0)), SqlTypes.fromSql(call.getType())), o.get(0), call);
      case LIKE:
        return like(call);
      case SIMILAR:
        return similar(o);
      case SAFE_CAST:
        return new TryCast(translate(o.get(0)), SqlTypes.fromSql(call.getType()));
      case TRIM:
        SqlTrimFunction.Flag flag = ((RexLiteral) o.get(0)).getValueAs(SqlTrimFunction.Flag.class);
        String what = text(o.get(1), "the character to trim");
        if (what.length() != 1 || what.charAt(0) > 0x7f) {
          throw new UnsupportedSqlException(
                  "TRIM takes one ASCII character, not [%s]".formatted(what))
              .of("TRIM");
        }
        return new Texts.Mapped(
            new TextFunctions.Trim(
                flag != SqlTrimFunction.Flag.TRAILING,
                flag != SqlTrimFunction.Flag.LEADING,
                (byte) what.charAt(0)),
            translate(o.get(2)));
      case EXTRACT:
        if (Intervals.is(o.get(1))) {
          return intervals.part(unit(o.get(0)), o.get(1), call.getType());
        }
        return new Dates.Extract(unit(o.get(0), o.get(1)), translate(o.get(1)));
      case FLOOR:
        if (o.size() == 2) {
          return new Dates.Floor(unit(o.get(1), o.get(0)), translate(o.get(0)));
        }
        return new Rounding(
            Rounding.Mode.FLOOR, translate(o.get(0)), 0, SqlTypes.fromSql(call.getType()));
      case CEIL:
        return new Rounding(
            Rounding.Mode.CEILING, translate(o.get(0)), 0, SqlTypes.fromSql(call.getType()));
      case POSITION:
        return new Texts.Position(translate(o.get(0)), translate(o.get(1)));
      case REINTERPRET:
        return translate(o.get(0));
      default:
        return function(call);
    }
  }

  /** A text that is cast to a length is cut to it, and filled up with blanks for CHAR. */
  private static Expression cut(Expression text, RexNode from, RexCall cast) {
    int length = cast.getType().getPrecision();
    SqlTypeName to = cast.getType().getSqlTypeName();
    boolean fits = from.getType().getSqlTypeName() == to && from.getType().getPrecision() == length;
    if (!SqlTypeName.CHAR_TYPES.contains(to) || length < 0 || fits || text instanceof Literal) {
      return text;
    }
    return new TextShapes.Shaped(
        to == SqlTypeName.CHAR ? TextShapes.Shape.RPAD : TextShapes.Shape.LEFT,
        text,
        Literal.of(Type.INT, length),
        Optional.empty());
  }

  private Expression like(RexCall call) {
    List<RexNode> o = call.getOperands();
    String escapes = o.size() > 2 ? text(o.get(2), "the escape character of LIKE") : "\0";
    if (escapes.length() != 1) {
      throw new UnsupportedSqlException("ESCAPE takes one character, not [%s]".formatted(escapes))
          .of(call.getOperator().getName());
    }
    char escape = escapes.charAt(0);
    boolean anyCase = call.getOperator().getName().contains("ILIKE");
    Expression operand = anyCase ? lower(o.get(0)) : translate(o.get(0));
    Optional<String> pattern = constantText(o.get(1));
    if (pattern.isEmpty()) {
      return new Texts.LikeEach(operand, anyCase ? lower(o.get(1)) : translate(o.get(1)), escape);
    }
    return Texts.Like.of(
        operand, anyCase ? pattern.get().toLowerCase(Locale.ROOT) : pattern.get(), escape);
  }

  private Expression lower(RexNode text) {
    return new Texts.Mapped(TextFunctions.Case.LOWER, translate(text));
  }

  /** SIMILAR TO's patterns are those of LIKE, with what regular expressions add. */
  private Expression similar(List<RexNode> o) {
    String pattern = text(o.get(1), "the pattern of SIMILAR TO");
    String escape = o.size() > 2 ? text(o.get(2), "the escape character") : "\\";
    StringBuilder regex = new StringBuilder("(?s)^(?:");
    for (int i = 0; i < pattern.length(); i++) {
      char c = pattern.charAt(i);
      if (!escape.isEmpty() && c == escape.charAt(0) && i + 1 < pattern.length()) {
        regex.append(Pattern.quote(String.valueOf(pattern.charAt(++i))));
      } else if (c == '%') {
        regex.append(".*");
      } else if (c == '_') {
        regex.append('.');
      } else {
        regex.append(".^$\\".indexOf(c) >= 0 ? "\\" : "").append(c);
      }
    }
    try {
      return TextParts.Matches.of(translate(o.get(0)), regex.append(")$").toString());
    } catch (ExpressionException e) {
      throw new UnsupportedSqlException(
          "[%s] is not a valid pattern of SIMILAR TO".formatted(pattern));
    }
  }

  private Expression function(RexCall call) {
    List<RexNode> o = call.getOperands();
    Type type = SqlTypes.fromSql(call.getType());
    switch (call.getOperator().getName()) {
      case "UPPER":
        return new Texts.Mapped(TextFunctions.Case.UPPER, translate(o.get(0)));
      case "LOWER":
        return new Texts.Mapped(TextFunctions.Case.LOWER, translate(o.get(0)));
      case "CHAR_LENGTH", "CHARACTER_LENGTH":
        return new Texts.Length(translate(o.get(0)));
      case NestedFunctions.JSON_TEXT:
        return JsonValues.textOf(translate(o.get(0)));
      case NestedFunctions.PARSE_JSON:
        return new JsonValues.Parse(translate(o.get(0)), type);
      case NestedFunctions.PLAIN:
        return new Texts.Mapped(TextFunctions.Tidy.PLAIN, translate(o.get(0)));
      case NestedFunctions.COLLAPSE:
        return new Texts.Mapped(TextFunctions.Tidy.COLLAPSE_BLANKS, translate(o.get(0)));
      case NestedFunctions.PARSE_XML:
        return TreeExpressions.parseXml(translate(o.get(0)), type);
      case NestedFunctions.XML_TEXT:
        return TreeExpressions.xmlText(
            translate(o.get(0)), text(o.get(1), "the element's name in XML_TEXT"));
      case NestedFunctions.JSON_TYPE:
        return TreeExpressions.jsonType(translate(o.get(0)));
      case NestedFunctions.XML_TYPE:
        return TreeExpressions.xmlType(translate(o.get(0)));
      case NestedFunctions.SPLIT:
        return split(o);
      case NestedFunctions.JOIN:
        return new TextParts.Joined(
            text(o.get(0), "what JOIN_TEXT puts between"),
            o.subList(1, o.size()).stream().map(this::translate).toList());
      case NestedFunctions.MATCHES:
        return TextParts.Matches.of(
            translate(o.get(0)), text(o.get(1), "the pattern of REGEXP_LIKE"));
      case "ARRAY":
        return new Nested.ListOf(o.stream().map(v -> typed(v, type.element())).toList(), type);
      case "CARDINALITY":
        return new Nested.LengthOf(translate(o.get(0)));
      case "SUBSTRING":
        return new Texts.Substring(
            translate(o.get(0)),
            translate(o.get(1)),
            o.size() > 2 ? Optional.of(translate(o.get(2))) : Optional.empty());
      case "||":
        return new Texts.Concat(o.stream().map(this::translate).toList());
      case "REPLACE":
        return new Texts.Mapped(
            new TextFunctions.Replace(
                Cast.utf8(text(o.get(1), "what REPLACE looks for")),
                Cast.utf8(text(o.get(2), "what REPLACE puts there"))),
            translate(o.get(0)));
      case "ABS":
        return new Rounding(Rounding.Mode.ABSOLUTE, translate(o.get(0)), 0, type);
      case "ROUND":
        return new Rounding(
            Rounding.Mode.HALF_UP, translate(o.get(0)), o.size() > 1 ? integer(o.get(1)) : 0, type);
      case "TRUNCATE":
        return new Rounding(
            Rounding.Mode.DOWN, translate(o.get(0)), o.size() > 1 ? integer(o.get(1)) : 0, type);
      default:
        return ScalarFunctions.make(call, this)
            .orElseThrow(
                () ->
                    new UnsupportedSqlException(
                            "The function [%s] is not supported"
                                .formatted(call.getOperator().getName()))
                        .of(call.getOperator().getName()));
    }
  }

  private Expression split(List<RexNode> o) {
    try {
      return TextParts.Split.of(
          translate(o.get(0)),
          text(o.get(1), "the separator of SPLIT_TEXT"),
          o.size() > 2 ? integer(o.get(2)) : Integer.MAX_VALUE);
    } catch (ExpressionException e) {
      throw new UnsupportedSqlException(e.getMessage());
    }
  }

  private Expression arithmetic(RexCall call) {
    List<RexNode> o = call.getOperands();
    SqlTypeName family = call.getType().getSqlTypeName();
    if (SqlTypeName.DATETIME_TYPES.contains(family)) {
      return shift(call);
    }
    if (Intervals.is(call)) {
      return intervals.of(call);
    }
    return new Arithmetic(
        operation(call.getKind()),
        translate(o.get(0)),
        translate(o.get(1)),
        SqlTypes.fromSql(call.getType()));
  }

  static Arithmetic.Op operation(SqlKind kind) {
    return switch (kind) {
      case PLUS -> Arithmetic.Op.ADD;
      case MINUS -> Arithmetic.Op.SUBTRACT;
      case TIMES -> Arithmetic.Op.MULTIPLY;
      case DIVIDE -> Arithmetic.Op.DIVIDE;
      default -> Arithmetic.Op.MOD;
    };
  }

  private Expression shift(RexCall call) {
    RexNode by = call.getOperands().get(1);
    if (!Intervals.is(by)) {
      throw new UnsupportedSqlException(
          "A date is moved by an interval, or by a number of them, as in day + interval '7' day, or day + weeks * interval '7' day");
    }
    return intervals.moved(call.getOperands().get(0), by, call.getKind() == SqlKind.MINUS ? -1 : 1);
  }

  private Expression comparison(Comparison.Op op, List<RexNode> o) {
    return new Comparison(op, translate(o.get(0)), translate(o.get(1)));
  }

  private Expression distinct(List<RexNode> o, boolean negated) {
    Expression a = translate(o.get(0));
    Expression b = translate(o.get(1));
    Expression same = new Logic.IsTruth(new Comparison(Comparison.Op.EQ, a, b), true, false);
    Expression bothNull =
        new Logic.Junction(true, new Logic.IsNull(a, false), new Logic.IsNull(b, false));
    Expression either = new Logic.Junction(false, same, bothNull);
    return negated ? new Logic.Not(either) : either;
  }

  private Expression caseWhen(RexCall call) {
    List<RexNode> o = call.getOperands();
    Type type = SqlTypes.fromSql(call.getType());
    List<Expression> conditions = new ArrayList<>();
    List<Expression> results = new ArrayList<>();
    for (int i = 0; i + 1 < o.size(); i += 2) {
      conditions.add(translate(o.get(i)));
      results.add(typed(o.get(i + 1), type));
    }
    return new CaseWhen(conditions, results, typed(o.get(o.size() - 1), type), type);
  }

  private Expression coalesce(RexCall call) {
    Type type = SqlTypes.fromSql(call.getType());
    List<Expression> conditions = new ArrayList<>();
    List<Expression> results = new ArrayList<>();
    for (RexNode operand : call.getOperands()) {
      Expression e = typed(operand, type);
      conditions.add(new Logic.IsNull(e, true));
      results.add(e);
    }
    return new CaseWhen(conditions, results, Literal.of(type, null), type);
  }

  private Expression typed(RexNode node, Type type) {
    return node instanceof RexLiteral literal && literal.isNull()
        ? Literal.of(type, null)
        : cast(translate(node), type);
  }

  private static Expression cast(Expression e, Type type) {
    return e.type().equals(type)
        ? e
        : e instanceof Literal l && l.value().isEmpty()
            ? Literal.of(type, null)
            : new Cast(e, type);
  }

  static String text(RexNode node, String role) {
    return constantText(node)
        .orElseThrow(
            () -> new UnsupportedSqlException("Write %s as a constant text".formatted(role)));
  }

  private static Optional<String> constantText(RexNode node) {
    RexNode plain =
        node instanceof RexCall call && call.getKind() == SqlKind.CAST
            ? call.getOperands().get(0)
            : node;
    return plain instanceof RexLiteral literal
        ? Optional.ofNullable(literal.getValueAs(String.class))
        : Optional.empty();
  }

  static int integer(RexNode node) {
    if (node instanceof RexLiteral literal) {
      return literal.getValueAs(Integer.class);
    }
    throw new UnsupportedSqlException("Write the number here as a constant");
  }

  /** A unit that the values have: a time of day has no month. */
  private static Dates.Unit unit(RexNode node, RexNode of) {
    return fitting(unit(node), of);
  }

  static Dates.Unit fitting(Dates.Unit unit, RexNode of) {
    if (of.getType().getSqlTypeName() == SqlTypeName.TIME && !Dates.isOfTime(unit)) {
      throw new UnsupportedSqlException(
          "A time of day has no %s; it has hour, minute, second, millisecond and microsecond"
              .formatted(unit.name().toLowerCase(Locale.ROOT).replace('_', ' ')));
    }
    return unit;
  }

  static Dates.Unit unit(RexNode node) {
    TimeUnitRange range = ((RexLiteral) node).getValueAs(TimeUnitRange.class);
    return switch (range) {
      case YEAR -> Dates.Unit.YEAR;
      case QUARTER -> Dates.Unit.QUARTER;
      case MONTH -> Dates.Unit.MONTH;
      case WEEK -> Dates.Unit.WEEK;
      case DAY -> Dates.Unit.DAY;
      case DOW -> Dates.Unit.DAY_OF_WEEK;
      case ISODOW -> Dates.Unit.ISO_DAY_OF_WEEK;
      case DOY -> Dates.Unit.DAY_OF_YEAR;
      case HOUR -> Dates.Unit.HOUR;
      case MINUTE -> Dates.Unit.MINUTE;
      case SECOND -> Dates.Unit.SECOND;
      case MILLISECOND -> Dates.Unit.MILLISECOND;
      case MICROSECOND -> Dates.Unit.MICROSECOND;
      case EPOCH -> Dates.Unit.EPOCH;
      case ISOYEAR -> Dates.Unit.ISO_YEAR;
      default ->
          throw new UnsupportedSqlException("The unit [%s] is not supported".formatted(range));
    };
  }

  /** A balanced tree: a list of thousands is as deep as its logarithm. */
  private Expression junction(boolean and, List<RexNode> sides) {
    return joined(and, listed(and, sides));
  }

  private static Expression joined(boolean and, List<Expression> sides) {
    if (sides.size() == 1) {
      return sides.get(0);
    }
    int half = sides.size() / 2;
    return new Logic.Junction(
        and, joined(and, sides.subList(0, half)), joined(and, sides.subList(half, sides.size())));
  }

  /** The sides, with comparisons of one expression with several constants as one. */
  private List<Expression> listed(boolean and, List<RexNode> sides) {
    Map<Object, List<RexNode>> byValue = new LinkedHashMap<>();
    for (RexNode side : sides) {
      boolean isOne =
          side.getKind() == (and ? SqlKind.NOT_EQUALS : SqlKind.EQUALS)
              && ((RexCall) side).getOperands().get(1) instanceof RexLiteral constant
              && !constant.isNull();
      Object value = isOne ? ((RexCall) side).getOperands().get(0) : new Object();
      byValue.computeIfAbsent(value, x -> new ArrayList<>()).add(side);
    }
    List<Expression> out = new ArrayList<>();
    byValue.forEach(
        (value, compared) -> {
          Optional<OneOf> list = compared.size() < 2 ? Optional.empty() : oneOf(compared);
          if (list.isPresent()) {
            out.add(and ? new Logic.Not(list.get()) : list.get());
          } else {
            compared.forEach(side -> out.add(translate(side)));
          }
        });
    return out;
  }

  private Optional<OneOf> oneOf(List<RexNode> compared) {
    return OneOf.of(
        translate(((RexCall) compared.get(0)).getOperands().get(0)),
        compared.stream()
            .map(side -> (RexLiteral) ((RexCall) side).getOperands().get(1))
            .map(constant -> literal(constant, SqlTypes.fromSql(constant.getType())))
            .toList());
  }
}

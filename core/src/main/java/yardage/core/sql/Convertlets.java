package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.stream.Collectors;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlCharStringLiteral;
import org.apache.calcite.sql.SqlDataTypeSpec;
import org.apache.calcite.sql.SqlIntervalQualifier;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlLiteral;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlOperator;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.sql2rel.SqlRexContext;
import org.apache.calcite.sql2rel.SqlRexConvertlet;
import org.apache.calcite.sql2rel.SqlRexConvertletTable;
import org.apache.calcite.sql2rel.StandardConvertletTable;

/** Calls that the library would write by others, and that are done here as they are. */
final class Convertlets implements SqlRexConvertletTable {
  static final Convertlets INSTANCE = new Convertlets();

  /** Those of JSON have a grammar of their own, which the library knows. */
  private static final Set<SqlOperator> AS_THEY_ARE =
      ScalarFunctions.operators().stream()
          .filter(o -> !o.getName().startsWith("JSON_"))
          .collect(Collectors.toUnmodifiableSet());

  private Convertlets() {}

  @Override
  public SqlRexConvertlet get(SqlCall call) {
    if (call.getKind() == SqlKind.CAST) {
      return call.operand(0) instanceof SqlCharStringLiteral
              && call.operand(1) instanceof SqlDataTypeSpec
          ? Convertlets::shaped
          : Convertlets::cast;
    }
    return AS_THEY_ARE.contains(call.getOperator()) || isSpread(call.getKind())
        ? Convertlets::asItIs
        : StandardConvertletTable.INSTANCE.get(call);
  }

  /** Over windows the library would write these as sums of squares, which lose digits. */
  private static boolean isSpread(SqlKind kind) {
    return kind == SqlKind.STDDEV_POP
        || kind == SqlKind.STDDEV_SAMP
        || kind == SqlKind.VAR_POP
        || kind == SqlKind.VAR_SAMP;
  }

  /** The library would reckon with the milliseconds of intervals. */
  private static RexNode cast(SqlRexContext context, SqlCall call) {
    if (!isInterval(context, call) && !isInterval(context, call.operand(0))) {
      return StandardConvertletTable.INSTANCE.get(call).convertCall(context, call);
    }
    return context
        .getRexBuilder()
        .makeAbstractCast(
            context.getValidator().getValidatedNodeType(call),
            context.convertExpression(call.operand(0)),
            false);
  }

  /** What the library puts in itself has no type here, and no interval. */
  private static boolean isInterval(SqlRexContext context, SqlNode node) {
    RelDataType type = context.getValidator().getValidatedNodeTypeIfKnown(node);
    return type != null && Intervals.is(type);
  }

  /** A constant text as long as its type says: cut, and with blanks behind it as a CHAR. */
  private static RexNode shaped(SqlRexContext context, SqlCall call) {
    RelDataType type = context.getValidator().getValidatedNodeTypeIfKnown(call);
    int length = type == null ? -1 : type.getPrecision();
    if (length < 0 || !SqlTypeName.CHAR_TYPES.contains(type.getSqlTypeName())) {
      return StandardConvertletTable.INSTANCE.get(call).convertCall(context, call);
    }
    String text = ((SqlLiteral) call.operand(0)).getValueAs(String.class);
    int there = text.codePointCount(0, text.length());
    String fitting = there > length ? text.substring(0, text.offsetByCodePoints(0, length)) : text;
    return context
        .getRexBuilder()
        .makeLiteral(
            type.getSqlTypeName() == SqlTypeName.CHAR
                ? fitting + " ".repeat(Math.max(0, length - there))
                : fitting,
            type,
            true);
  }

  private static RexNode asItIs(SqlRexContext context, SqlCall call) {
    List<RexNode> operands = new ArrayList<>();
    for (SqlNode operand : call.getOperandList()) {
      operands.add(
          operand instanceof SqlIntervalQualifier unit
              ? context.getRexBuilder().makeFlag(unit.timeUnitRange)
              : context.convertExpression(operand));
    }
    RelDataType type = context.getValidator().getValidatedNodeType(call);
    return context.getRexBuilder().makeCall(type, call.getOperator(), operands);
  }
}

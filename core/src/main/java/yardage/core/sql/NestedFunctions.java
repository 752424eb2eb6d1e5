package yardage.core.sql;

import java.util.List;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.sql.SqlFunction;
import org.apache.calcite.sql.SqlFunctionCategory;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlOperator;
import org.apache.calcite.sql.SqlOperatorBinding;
import org.apache.calcite.sql.SqlOperatorTable;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.type.OperandTypes;
import org.apache.calcite.sql.type.SqlTypeFamily;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.sql.util.SqlOperatorTables;
import yardage.core.column.Type;

/**
 * Functions beside those of the standard: {@code JSON_TEXT(value)} writes any value as JSON, and
 * {@code PARSE_JSON(text, 'type')} reads a text as a value of a type that is written as in feeds.
 */
final class NestedFunctions {
  static final String JSON_TEXT = "JSON_TEXT";
  static final String PARSE_JSON = "PARSE_JSON";

  private NestedFunctions() {}

  private static final SqlOperator TEXT =
      new SqlFunction(
          JSON_TEXT,
          SqlKind.OTHER_FUNCTION,
          binding ->
              binding
                  .getTypeFactory()
                  .createTypeWithNullability(
                      binding.getTypeFactory().createSqlType(SqlTypeName.VARCHAR),
                      binding.getOperandType(0).isNullable()),
          null,
          OperandTypes.ANY,
          SqlFunctionCategory.USER_DEFINED_FUNCTION);

  private static final SqlOperator PARSE =
      new SqlFunction(
          PARSE_JSON,
          SqlKind.OTHER_FUNCTION,
          NestedFunctions::parsedType,
          null,
          OperandTypes.family(SqlTypeFamily.CHARACTER, SqlTypeFamily.CHARACTER),
          SqlFunctionCategory.USER_DEFINED_FUNCTION);

  private static RelDataType parsedType(SqlOperatorBinding binding) {
    if (!binding.isOperandLiteral(1, false)) {
      throw new UnsupportedSqlException(
          "PARSE_JSON wants its type as a constant, as in PARSE_JSON(remark, 'list(int)')");
    }
    try {
      Type type = Type.parse(binding.getOperandLiteralValue(1, String.class));
      return binding
          .getTypeFactory()
          .createTypeWithNullability(SqlTypes.toSql(type, binding.getTypeFactory()), true);
    } catch (IllegalArgumentException e) {
      throw new UnsupportedSqlException(e.getMessage());
    }
  }

  /** The standard's functions and these. */
  static SqlOperatorTable operators() {
    return SqlOperatorTables.chain(
        SqlStdOperatorTable.instance(), SqlOperatorTables.of(List.of(TEXT, PARSE)));
  }
}

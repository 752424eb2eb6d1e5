package yardage.core.sql;

import java.util.List;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rel.type.RelDataTypeFactory;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlCallBinding;
import org.apache.calcite.sql.SqlFunction;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.type.SqlTypeFamily;
import org.apache.calcite.sql.validate.SqlValidator;
import org.apache.calcite.sql.validate.SqlValidatorScope;
import org.apache.calcite.sql.validate.implicit.TypeCoercionImpl;

/**
 * Casts nothing that the query does not cast: unlike types are told instead. The library cannot
 * plan {@code JOIN … USING} with coercion switched off, so it is on, and does nothing.
 */
final class NoCoercion extends TypeCoercionImpl {
  NoCoercion(RelDataTypeFactory types, SqlValidator validator) {
    super(types, validator);
  }

  @Override
  public boolean rowTypeCoercion(
      SqlValidatorScope scope, SqlNode query, int column, RelDataType type) {
    return false;
  }

  @Override
  public boolean binaryArithmeticCoercion(SqlCallBinding binding) {
    return false;
  }

  @Override
  public boolean binaryComparisonCoercion(SqlCallBinding binding) {
    return false;
  }

  @Override
  public boolean caseWhenCoercion(SqlCallBinding binding) {
    return false;
  }

  @Override
  public boolean caseOrEquivalentCoercion(SqlCallBinding binding) {
    return false;
  }

  @Override
  public boolean inOperationCoercion(SqlCallBinding binding) {
    return false;
  }

  @Override
  public boolean quantifyOperationCoercion(SqlCallBinding binding) {
    return false;
  }

  @Override
  public boolean builtinFunctionCoercion(
      SqlCallBinding binding, List<RelDataType> operands, List<SqlTypeFamily> expected) {
    return false;
  }

  @Override
  public boolean userDefinedFunctionCoercion(
      SqlValidatorScope scope, SqlCall call, SqlFunction function) {
    return false;
  }

  @Override
  public boolean querySourceCoercion(
      SqlValidatorScope scope, RelDataType source, RelDataType target, SqlNode query) {
    return false;
  }
}

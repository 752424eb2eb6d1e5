package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlNodeList;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.sql.util.SqlBasicVisitor;
import org.apache.calcite.sql.validate.SqlValidator;

/**
 * Refuses comparisons of values of unlike types at the place where they stand: a text is never held
 * against a number, a date or a truth without a cast, since either reading of it could be meant.
 */
final class UnlikeTypes extends SqlBasicVisitor<Void> {
  private final SqlValidator validator;

  private UnlikeTypes(SqlValidator validator) {
    this.validator = validator;
  }

  /**
   * @throws SqlProblemException at the first such comparison of a validated query
   */
  static void refuse(SqlNode query, SqlValidator validator) {
    query.accept(new UnlikeTypes(validator));
  }

  @Override
  public Void visit(SqlCall call) {
    boolean compares =
        call.getKind().belongsTo(SqlKind.COMPARISON)
            || call.getKind() == SqlKind.BETWEEN
            || call.getKind() == SqlKind.IN
            || call.getKind() == SqlKind.NOT_IN;
    if (compares && call.operandCount() > 1) {
      List<SqlNode> others = new ArrayList<>();
      for (SqlNode operand : call.getOperandList().subList(1, call.operandCount())) {
        if (operand instanceof SqlNodeList list) {
          others.addAll(list.getList());
        } else {
          others.add(operand);
        }
      }
      others.forEach(other -> refuse(call, call.operand(0), other));
    }
    return super.visit(call);
  }

  private void refuse(SqlCall call, SqlNode one, SqlNode other) {
    RelDataType a = one == null ? null : validator.getValidatedNodeTypeIfKnown(one);
    RelDataType b = other == null ? null : validator.getValidatedNodeTypeIfKnown(other);
    Optional<String> groupA = group(a);
    Optional<String> groupB = group(b);
    if (groupA.isEmpty() || groupB.isEmpty() || groupA.equals(groupB)) {
      return;
    }
    SqlParserPos at = call.getParserPosition();
    throw SqlProblemException.at(
        at,
        "[%s] compares %s with %s; cast one of them, as in CAST(… AS %s)"
            .formatted(
                call.getOperator().getName().toLowerCase(Locale.ROOT),
                groupA.get(),
                groupB.get(),
                SqlTypes.fromSql(groupA.get().equals("text") ? b : a).toString()));
  }

  /** The kind of values that can be held against each other; empty where the library decides. */
  private static Optional<String> group(RelDataType type) {
    if (type == null) {
      return Optional.empty();
    }
    SqlTypeName name = type.getSqlTypeName();
    if (SqlTypeName.CHAR_TYPES.contains(name)) {
      return Optional.of("text");
    }
    if (SqlTypeName.NUMERIC_TYPES.contains(name)) {
      return Optional.of("a number");
    }
    if (name == SqlTypeName.BOOLEAN) {
      return Optional.of("a boolean");
    }
    return switch (name) {
      case DATE, TIMESTAMP -> Optional.of("a date or time");
      case TIME -> Optional.of("a time of day");
      case TIMESTAMP_TZ -> Optional.of("a time with its zone");
      case UUID -> Optional.of("a UUID");
      case BINARY, VARBINARY -> Optional.of("binary");
      default -> Optional.empty();
    };
  }
}

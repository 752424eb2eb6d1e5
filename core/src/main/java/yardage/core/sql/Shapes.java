package yardage.core.sql;

import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import org.apache.calcite.sql.SqlCall;
import org.apache.calcite.sql.SqlJoin;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.SqlWith;
import org.apache.calcite.sql.SqlWithItem;
import org.apache.calcite.sql.util.SqlBasicVisitor;
import org.apache.calcite.sql.validate.SqlValidator;
import org.apache.calcite.sql.validate.SqlValidatorNamespace;

/** Refuses what the library takes and nobody means. */
final class Shapes extends SqlBasicVisitor<Void> {
  private final SqlValidator validator;

  private Shapes(SqlValidator validator) {
    this.validator = validator;
  }

  /**
   * @throws SqlProblemException at the first join that pairs all rows without saying so, name that
   *     two queries of a WITH share, or percentile without an order
   */
  static void refuse(SqlNode query, SqlValidator validator) {
    query.accept(new Shapes(validator));
  }

  @Override
  public Void visit(SqlCall call) {
    if (call instanceof SqlJoin join && join.isNatural() && isProduct(join)) {
      throw SqlProblemException.at(
          join.getParserPosition(),
          "NATURAL JOIN joins by the columns that both inputs have, and these have none in common; join with ON a.loom_code = b.loom_code");
    } else if (call instanceof SqlWith with) {
      refuseTwice(with);
    }
    return super.visit(call);
  }

  private boolean isProduct(SqlJoin join) {
    SqlValidatorNamespace left = validator.getNamespace(join.getLeft());
    SqlValidatorNamespace right = validator.getNamespace(join.getRight());
    if (left == null || right == null) {
      return false;
    }
    List<String> names = right.getRowType().getFieldNames();
    return left.getRowType().getFieldNames().stream()
        .noneMatch(n -> names.stream().anyMatch(n::equalsIgnoreCase));
  }

  private static void refuseTwice(SqlWith with) {
    Set<String> names = new HashSet<>();
    for (SqlNode item : with.withList) {
      String name = ((SqlWithItem) item).name.getSimple();
      if (!names.add(name.toLowerCase(Locale.ROOT))) {
        throw SqlProblemException.at(
            ((SqlWithItem) item).name.getParserPosition(),
            "WITH names two queries [%s]; give one of them another name".formatted(name));
      }
    }
  }

  /** Refuses percentiles that do not say what they are of, before the library fails at them. */
  static void refuseUnordered(SqlNode query) {
    query.accept(
        new SqlBasicVisitor<Void>() {
          @Override
          public Void visit(SqlCall call) {
            if (call.getKind() == SqlKind.WITHIN_GROUP) {
              call.operand(1).accept(this);
              return null;
            }
            String name = call.getOperator().getName().toUpperCase(Locale.ROOT);
            if (name.equals("PERCENTILE_CONT") || name.equals("PERCENTILE_DISC")) {
              throw SqlProblemException.at(
                  call.getParserPosition(),
                  "%s says behind it what it is of, as in %s(0.5) WITHIN GROUP (ORDER BY metres)"
                      .formatted(name, name));
            }
            return super.visit(call);
          }
        });
  }
}

package yardage.core.sql;

import java.util.Optional;
import org.apache.calcite.sql.SqlBasicTypeNameSpec;
import org.apache.calcite.sql.SqlDataTypeSpec;
import org.apache.calcite.sql.SqlNode;
import org.apache.calcite.sql.util.SqlBasicVisitor;
import yardage.core.column.Type;

/** Refuses types of more digits than there are; the library would quietly take fewer. */
final class TypeNames {

  private TypeNames() {}

  /**
   * @throws SqlProblemException at the first such type
   */
  static void check(SqlNode query) {
    query.accept(
        new SqlBasicVisitor<Void>() {
          @Override
          public Void visit(SqlDataTypeSpec type) {
            if (type.getTypeNameSpec() instanceof SqlBasicTypeNameSpec basic) {
              wrong(basic)
                  .ifPresent(
                      message -> {
                        throw SqlProblemException.at(basic.getParserPos(), message);
                      });
            }
            return null;
          }
        });
  }

  private static Optional<String> wrong(SqlBasicTypeNameSpec type) {
    String name = type.getTypeName().getSimple().toUpperCase(java.util.Locale.ROOT);
    int precision = type.getPrecision();
    int scale = Math.max(0, type.getScale());
    return switch (name) {
      case "DECIMAL", "NUMERIC" ->
          precision > Type.MAX_DECIMAL_PRECISION
                  || precision == 0
                  || precision > 0 && scale > precision
              ? Optional.of(
                  "There is no decimal(%d, %d): a decimal has 1 to %d digits, and no more behind the point than in all"
                      .formatted(precision, scale, Type.MAX_DECIMAL_PRECISION))
              : Optional.empty();
      case "TIME", "TIMESTAMP", "TIMESTAMP_TZ" ->
          precision > SqlTypes.DIGITS_OF_SECOND
              ? Optional.of(
                  "There is no %1$s(%2$d): a %1$s has %3$d digits of a second"
                      .formatted(
                          name.equals("TIME") ? "time" : "timestamp",
                          precision,
                          SqlTypes.DIGITS_OF_SECOND))
              : Optional.empty();
      default -> Optional.empty();
    };
  }
}

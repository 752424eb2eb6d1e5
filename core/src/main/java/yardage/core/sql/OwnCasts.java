package yardage.core.sql;

import java.util.Set;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rel.type.RelDataTypeFactory;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexExecutor;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.sql.parser.SqlParserPos;
import org.apache.calcite.sql.type.SqlTypeName;

/**
 * Leaves casts of constants to some types as they are: the library would compute them by rules of
 * its own, and takes a text for its bytes.
 */
final class OwnCasts extends RexBuilder {
  private static final Set<SqlTypeName> LEFT =
      Set.of(
          SqlTypeName.TIME,
          SqlTypeName.TIMESTAMP_TZ,
          SqlTypeName.UUID,
          SqlTypeName.BINARY,
          SqlTypeName.VARBINARY);

  /** Computes no constant: {@link Constants} does, by the rules of here. */
  static final RexExecutor NOTHING_COMPUTED =
      (builder, constants, reduced) -> reduced.addAll(constants);

  OwnCasts(RelDataTypeFactory types) {
    super(types);
  }

  @Override
  public RexNode makeCast(
      SqlParserPos at,
      RelDataType type,
      RexNode value,
      boolean matchNullability,
      boolean safe,
      RexLiteral format) {
    boolean leave =
        value instanceof RexLiteral literal
            && !literal.isNull()
            && LEFT.contains(type.getSqlTypeName())
            && type.getSqlTypeName() != value.getType().getSqlTypeName();
    return leave
        ? makeAbstractCast(at, type, value, safe, format)
        : super.makeCast(at, type, value, matchNullability, safe, format);
  }
}

package yardage.core.sql;

import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.util.Set;
import org.apache.calcite.jdbc.JavaTypeFactoryImpl;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rel.type.RelDataTypeFactory;
import org.apache.calcite.rel.type.RelDataTypeField;
import org.apache.calcite.rel.type.RelDataTypeSystemImpl;
import org.apache.calcite.rel.type.StructKind;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.sql.type.SqlTypeUtil;
import yardage.core.column.NumberTypes;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/** Our types and the algebra's, both ways, and the rules for the types of results. */
final class SqlTypes {
  static final int DIGITS_OF_SECOND = 6;

  private static final Set<SqlTypeName> TIMES =
      Set.of(SqlTypeName.TIME, SqlTypeName.TIMESTAMP, SqlTypeName.TIMESTAMP_TZ);

  private SqlTypes() {}

  /** Decimals to 38 digits; sums, averages and quotients as {@link NumberTypes} has them. */
  private static final class TypeSystem extends RelDataTypeSystemImpl {
    @Override
    public int getMaxPrecision(SqlTypeName name) {
      return name == SqlTypeName.DECIMAL
          ? Type.MAX_DECIMAL_PRECISION
          : TIMES.contains(name) ? DIGITS_OF_SECOND : super.getMaxPrecision(name);
    }

    @Override
    public int getMaxScale(SqlTypeName name) {
      return name == SqlTypeName.DECIMAL ? Type.MAX_DECIMAL_PRECISION : super.getMaxScale(name);
    }

    @Override
    public int getDefaultPrecision(SqlTypeName name) {
      return TIMES.contains(name)
          ? DIGITS_OF_SECOND
          : name == SqlTypeName.DECIMAL ? Type.MAX_LONG_DIGITS : super.getDefaultPrecision(name);
    }

    @Override
    public RelDataType deriveSumType(RelDataTypeFactory factory, RelDataType argument) {
      return SqlTypeUtil.isNumeric(argument)
          ? factory.createTypeWithNullability(
              toSql(NumberTypes.sum(fromSql(argument)), factory), argument.isNullable())
          : argument;
    }

    @Override
    public RelDataType deriveAvgAggType(RelDataTypeFactory factory, RelDataType argument) {
      Type average =
          SqlTypeUtil.isNumeric(argument) ? NumberTypes.average(fromSql(argument)) : Type.DOUBLE;
      return factory.createTypeWithNullability(toSql(average, factory), argument.isNullable());
    }

    @Override
    public RelDataType deriveDecimalDivideType(
        RelDataTypeFactory factory, RelDataType dividend, RelDataType divisor) {
      if (!SqlTypeUtil.isExactNumeric(dividend)
          || !SqlTypeUtil.isExactNumeric(divisor)
          || !SqlTypeUtil.isDecimal(dividend) && !SqlTypeUtil.isDecimal(divisor)) {
        return null;
      }
      return toSql(NumberTypes.quotient(fromSql(dividend), fromSql(divisor)), factory);
    }

    @Override
    public boolean shouldConvertRaggedUnionTypesToVarying() {
      return true;
    }
  }

  static RelDataTypeFactory factory() {
    return new JavaTypeFactoryImpl(new TypeSystem()) {
      @Override
      public Charset getDefaultCharset() {
        return StandardCharsets.UTF_8;
      }
    };
  }

  static RelDataType rowType(Schema schema, RelDataTypeFactory factory) {
    RelDataTypeFactory.Builder builder = factory.builder();
    for (Schema.Field field : schema.fields()) {
      builder.add(
          field.name(),
          factory.createTypeWithNullability(toSql(field.type(), factory), field.nullable()));
    }
    return builder.build();
  }

  static RelDataType toSql(Type type, RelDataTypeFactory factory) {
    return switch (type.kind()) {
      case BOOLEAN -> factory.createSqlType(SqlTypeName.BOOLEAN);
      case INT -> factory.createSqlType(SqlTypeName.INTEGER);
      case BIGINT -> factory.createSqlType(SqlTypeName.BIGINT);
      case FLOAT -> factory.createSqlType(SqlTypeName.REAL);
      case DOUBLE -> factory.createSqlType(SqlTypeName.DOUBLE);
      case DECIMAL -> factory.createSqlType(SqlTypeName.DECIMAL, type.precision(), type.scale());
      case VARCHAR -> factory.createSqlType(SqlTypeName.VARCHAR);
      case DATE -> factory.createSqlType(SqlTypeName.DATE);
      case TIME -> factory.createSqlType(SqlTypeName.TIME, DIGITS_OF_SECOND);
      case TIMESTAMP -> factory.createSqlType(SqlTypeName.TIMESTAMP, DIGITS_OF_SECOND);
      case TIMESTAMP_TZ -> factory.createSqlType(SqlTypeName.TIMESTAMP_TZ, DIGITS_OF_SECOND);
      case BINARY -> factory.createSqlType(SqlTypeName.VARBINARY);
      case UUID -> factory.createSqlType(SqlTypeName.UUID);
      case STRUCT -> {
        RelDataTypeFactory.Builder builder = factory.builder();
        builder.kind(StructKind.PEEK_FIELDS_NO_EXPAND);
        type.parts().forEach(p -> builder.add(p.name(), nullable(p.type(), factory)));
        yield builder.build();
      }
      case LIST -> factory.createArrayType(nullable(type.element(), factory), -1);
      case MAP ->
          factory.createMapType(
              toSql(type.parts().get(0).type(), factory),
              nullable(type.parts().get(1).type(), factory));
    };
  }

  /** A type as a query writes it. */
  static String written(Type type) {
    return type.kind() == Type.Kind.BINARY ? "VARBINARY" : type.toString();
  }

  private static RelDataType nullable(Type type, RelDataTypeFactory factory) {
    return factory.createTypeWithNullability(toSql(type, factory), true);
  }

  static Schema schema(RelDataType rowType) {
    return new Schema(rowType.getFieldList().stream().map(SqlTypes::field).toList());
  }

  private static Schema.Field field(RelDataTypeField field) {
    return new Schema.Field(
        field.getName(), fromSql(field.getType()), field.getType().isNullable());
  }

  static Type fromSql(RelDataType type) {
    return switch (type.getSqlTypeName()) {
      case BOOLEAN -> Type.BOOLEAN;
      case TINYINT, SMALLINT, INTEGER -> Type.INT;
      case BIGINT -> Type.BIGINT;
      case FLOAT, REAL -> Type.FLOAT;
      case DOUBLE -> Type.DOUBLE;
      case DECIMAL ->
          Type.decimal(
              Math.max(1, Math.min(type.getPrecision(), Type.MAX_DECIMAL_PRECISION)),
              Math.max(0, type.getScale()));
      case CHAR, VARCHAR, NULL -> Type.VARCHAR;
      case DATE -> Type.DATE;
      case TIME -> Type.TIME;
      case TIMESTAMP -> Type.TIMESTAMP;
      case TIMESTAMP_TZ -> Type.TIMESTAMP_TZ;
      case BINARY, VARBINARY -> Type.BINARY;
      case UUID -> Type.UUID;
      case ROW ->
          Type.struct(
              type.getFieldList().stream()
                  .map(f -> new Type.Part(f.getName(), fromSql(f.getType())))
                  .toList());
      case ARRAY -> Type.list(fromSql(type.getComponentType()));
      case MAP -> Type.map(fromSql(type.getKeyType()), fromSql(type.getValueType()));
      default -> {
        if (Intervals.is(type)) {
          yield Type.BIGINT;
        }
        throw new UnsupportedSqlException(
            "Values of type [%s] are not supported; cast to boolean, int, bigint, double, decimal, varchar, binary, uuid, date, time, timestamp or timestamp with time zone"
                .formatted(type));
      }
    };
  }
}

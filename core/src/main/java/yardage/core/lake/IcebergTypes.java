package yardage.core.lake;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import org.apache.iceberg.types.TypeUtil;
import org.apache.iceberg.types.Types;
import org.apache.iceberg.types.Types.NestedField;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/** Our types and the table format's, both ways. */
final class IcebergTypes {
  private IcebergTypes() {}

  static org.apache.iceberg.Schema toIceberg(Schema schema) {
    List<NestedField> fields = new ArrayList<>();
    AtomicInteger ids = new AtomicInteger();
    for (Schema.Field f : schema.fields()) {
      fields.add(NestedField.optional(ids.incrementAndGet(), f.name(), type(f.type(), ids)));
    }
    // The numbers that a new table gets, so that files written before it is made fit it.
    return TypeUtil.assignIncreasingFreshIds(new org.apache.iceberg.Schema(fields));
  }

  /**
   * @param ids the last number given so far; each nested part gets the next one
   */
  static org.apache.iceberg.types.Type type(Type type, AtomicInteger ids) {
    return switch (type.kind()) {
      case BOOLEAN -> Types.BooleanType.get();
      case INT -> Types.IntegerType.get();
      case BIGINT -> Types.LongType.get();
      case FLOAT -> Types.FloatType.get();
      case DOUBLE -> Types.DoubleType.get();
      case DECIMAL -> Types.DecimalType.of(type.precision(), type.scale());
      case VARCHAR -> Types.StringType.get();
      case DATE -> Types.DateType.get();
      case TIME -> Types.TimeType.get();
      case TIMESTAMP -> Types.TimestampType.withoutZone();
      case TIMESTAMP_TZ -> Types.TimestampType.withZone();
      case BINARY -> Types.BinaryType.get();
      case UUID -> Types.UUIDType.get();
      case STRUCT -> {
        List<NestedField> fields = new ArrayList<>();
        for (Type.Part part : type.parts()) {
          fields.add(
              NestedField.optional(ids.incrementAndGet(), part.name(), type(part.type(), ids)));
        }
        yield Types.StructType.of(fields);
      }
      case LIST -> Types.ListType.ofOptional(ids.incrementAndGet(), type(type.element(), ids));
      case MAP ->
          Types.MapType.ofOptional(
              ids.incrementAndGet(),
              ids.incrementAndGet(),
              type(type.parts().get(0).type(), ids),
              type(type.parts().get(1).type(), ids));
    };
  }

  static Schema fromIceberg(org.apache.iceberg.Schema schema) {
    List<Schema.Field> fields = new ArrayList<>();
    for (NestedField f : schema.columns()) {
      fields.add(new Schema.Field(f.name(), type(f.type()), f.isOptional()));
    }
    return new Schema(fields);
  }

  private static Type type(org.apache.iceberg.types.Type type) {
    return switch (type.typeId()) {
      case BOOLEAN -> Type.BOOLEAN;
      case INTEGER -> Type.INT;
      case LONG -> Type.BIGINT;
      case FLOAT -> Type.FLOAT;
      case DOUBLE -> Type.DOUBLE;
      case STRING -> Type.VARCHAR;
      case DATE -> Type.DATE;
      case TIME -> Type.TIME;
      case TIMESTAMP ->
          ((Types.TimestampType) type).shouldAdjustToUTC() ? Type.TIMESTAMP_TZ : Type.TIMESTAMP;
      case BINARY -> Type.BINARY;
      case UUID -> Type.UUID;
      case DECIMAL -> {
        Types.DecimalType d = (Types.DecimalType) type;
        yield Type.decimal(d.precision(), d.scale());
      }
      case STRUCT ->
          Type.struct(
              type.asStructType().fields().stream()
                  .map(f -> new Type.Part(f.name(), type(f.type())))
                  .toList());
      case LIST -> Type.list(type(type.asListType().elementType()));
      case MAP -> Type.map(type(type.asMapType().keyType()), type(type.asMapType().valueType()));
      default ->
          throw new LakeException("Table columns of type [%s] are not read yet".formatted(type));
    };
  }
}

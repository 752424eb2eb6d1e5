package yardage.core.lake;

import java.util.ArrayList;
import java.util.List;
import org.apache.iceberg.types.Types;
import org.apache.iceberg.types.Types.NestedField;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/** Our types and the table format's, both ways. */
final class IcebergTypes {
  private IcebergTypes() {}

  static org.apache.iceberg.Schema toIceberg(Schema schema) {
    List<NestedField> fields = new ArrayList<>();
    for (int i = 0; i < schema.size(); i++) {
      Schema.Field f = schema.field(i);
      fields.add(NestedField.optional(i + 1, f.name(), type(f.type())));
    }
    return new org.apache.iceberg.Schema(fields);
  }

  static org.apache.iceberg.types.Type type(Type type) {
    return switch (type.kind()) {
      case BOOLEAN -> Types.BooleanType.get();
      case INT -> Types.IntegerType.get();
      case BIGINT -> Types.LongType.get();
      case DOUBLE -> Types.DoubleType.get();
      case DECIMAL -> Types.DecimalType.of(type.precision(), type.scale());
      case VARCHAR -> Types.StringType.get();
      case DATE -> Types.DateType.get();
      case TIMESTAMP -> Types.TimestampType.withoutZone();
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
      case DOUBLE -> Type.DOUBLE;
      case STRING -> Type.VARCHAR;
      case DATE -> Type.DATE;
      case TIMESTAMP -> Type.TIMESTAMP;
      case DECIMAL -> {
        Types.DecimalType d = (Types.DecimalType) type;
        yield Type.decimal(d.precision(), d.scale());
      }
      default ->
          throw new LakeException("Table columns of type [%s] are not read yet".formatted(type));
    };
  }
}

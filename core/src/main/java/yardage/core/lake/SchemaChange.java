package yardage.core.lake;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.types.Types;
import org.apache.iceberg.types.Types.NestedField;
import yardage.core.column.NumberTypes;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.Conform;

/**
 * A table's columns after a write that they follow: what is new comes at the end, numbers become
 * wider, structs get fields; nothing is lost, and older rows have nulls.
 *
 * @param iceberg the columns with their numbers; those that were there keep them, but for the
 *     retyped
 * @param schema the same in our types
 * @param retyped columns whose new type the format's promotions do not reach, such as int to
 *     decimal: they have a number of their own, and older files must be written again
 */
record SchemaChange(
    org.apache.iceberg.Schema iceberg, Schema schema, List<String> retyped, boolean isChange) {

  /**
   * @throws LakeException naming each column that cannot follow
   */
  static SchemaChange of(TableName table, TableMetadata existing, Schema written) {
    AtomicInteger ids = new AtomicInteger(existing.lastColumnId());
    Schema there = IcebergTypes.fromIceberg(existing.schema());
    List<NestedField> fields = new ArrayList<>();
    List<String> problems = new ArrayList<>();
    List<String> retyped = new ArrayList<>();
    for (int i = 0; i < there.size(); i++) {
      NestedField field = existing.schema().columns().get(i);
      int at = written.indexOf(field.name());
      Type now = at < 0 ? there.field(i).type() : written.field(at).type();
      Type before = there.field(i).type();
      if (Conform.fits(now, before)) {
        fields.add(field);
      } else if (widens(before, now)) {
        fields.add(
            NestedField.optional(
                field.fieldId(), field.name(), merged(field.type(), before, now, ids)));
      } else if (isWiderNumber(before, now) && !isPartitioned(existing, field)) {
        Type both = NumberTypes.common(before, now);
        retyped.add(field.name());
        fields.add(
            NestedField.optional(
                ids.incrementAndGet(), field.name(), IcebergTypes.type(both, ids)));
      } else {
        problems.add(
            "[%s] is %s here and %s in the table%s"
                .formatted(
                    field.name(),
                    now,
                    before,
                    isWiderNumber(before, now) ? ", which is partitioned by it" : ""));
        fields.add(field);
      }
    }
    if (!problems.isEmpty()) {
      throw new LakeException(
          "Table [%s] cannot follow the columns of this write: %s. A table's column can become bigint from int, double from float, or a decimal with more digits from a whole number or a decimal, and structs can get fields; cast the column in a shape step, or write to another table"
              .formatted(table, String.join("; ", problems)));
    }
    for (Schema.Field f : written.fields()) {
      if (there.indexOf(f.name()) < 0) {
        fields.add(
            NestedField.optional(
                ids.incrementAndGet(), f.name(), IcebergTypes.type(f.type(), ids)));
      }
    }
    org.apache.iceberg.Schema iceberg = new org.apache.iceberg.Schema(fields);
    return new SchemaChange(
        iceberg,
        IcebergTypes.fromIceberg(iceberg),
        List.copyOf(retyped),
        !iceberg.sameSchema(existing.schema()));
  }

  /** Whether a decimal holds both, with as many digits behind the point as either has. */
  private static boolean isWiderNumber(Type before, Type now) {
    return now.kind() == Type.Kind.DECIMAL
        && before.isNumeric()
        && !before.isApproximate()
        && now.scale() >= before.scale();
  }

  private static boolean isPartitioned(TableMetadata table, NestedField field) {
    return table.spec().fields().stream().anyMatch(f -> f.sourceId() == field.fieldId());
  }

  /**
   * Whether the table format lets a column of one type become another (its rules for promotion).
   */
  private static boolean widens(Type from, Type to) {
    if (from.kind() != to.kind()) {
      return from.kind() == Type.Kind.INT && to.kind() == Type.Kind.BIGINT
          || from.kind() == Type.Kind.FLOAT && to.kind() == Type.Kind.DOUBLE;
    }
    return switch (from.kind()) {
      case DECIMAL -> to.scale() == from.scale() && to.precision() >= from.precision();
      case STRUCT ->
          to.parts().stream()
              .allMatch(
                  p -> {
                    int at = from.indexOf(p.name());
                    return at < 0
                        || Conform.fits(p.type(), from.parts().get(at).type())
                        || widens(from.parts().get(at).type(), p.type());
                  });
      case LIST ->
          Conform.fits(to.element(), from.element()) || widens(from.element(), to.element());
      case MAP ->
          from.parts().get(0).equals(to.parts().get(0))
              && (Conform.fits(to.parts().get(1).type(), from.parts().get(1).type())
                  || widens(from.parts().get(1).type(), to.parts().get(1).type()));
      default -> false;
    };
  }

  private static org.apache.iceberg.types.Type merged(
      org.apache.iceberg.types.Type iceberg, Type before, Type now, AtomicInteger ids) {
    if (Conform.fits(now, before)) {
      return iceberg;
    }
    switch (before.kind()) {
      case STRUCT:
        List<NestedField> fields = new ArrayList<>();
        for (NestedField f : iceberg.asStructType().fields()) {
          int at = now.indexOf(f.name());
          Type part = before.parts().get(before.indexOf(f.name())).type();
          fields.add(
              at < 0
                  ? f
                  : NestedField.optional(
                      f.fieldId(),
                      f.name(),
                      merged(f.type(), part, now.parts().get(at).type(), ids)));
        }
        for (Type.Part p : now.parts()) {
          if (before.indexOf(p.name()) < 0) {
            fields.add(
                NestedField.optional(
                    ids.incrementAndGet(), p.name(), IcebergTypes.type(p.type(), ids)));
          }
        }
        return Types.StructType.of(fields);
      case LIST:
        Types.ListType list = iceberg.asListType();
        return Types.ListType.ofOptional(
            list.elementId(), merged(list.elementType(), before.element(), now.element(), ids));
      case MAP:
        Types.MapType map = iceberg.asMapType();
        return Types.MapType.ofOptional(
            map.keyId(),
            map.valueId(),
            map.keyType(),
            merged(map.valueType(), before.parts().get(1).type(), now.parts().get(1).type(), ids));
      default:
        return IcebergTypes.type(now, ids);
    }
  }
}

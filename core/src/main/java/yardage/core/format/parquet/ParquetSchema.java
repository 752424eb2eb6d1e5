package yardage.core.format.parquet;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.schema.GroupType;
import org.apache.parquet.schema.LogicalTypeAnnotation;
import org.apache.parquet.schema.PrimitiveType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import org.apache.parquet.schema.Type.Repetition;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.format.FileFormatException;
import yardage.core.storage.Place;

/** The columns that a Parquet file of any writer declares, in our types. */
public final class ParquetSchema {
  private static final int DIGITS_OF_UNSIGNED_LONG = 20;

  private ParquetSchema() {}

  /**
   * @throws FileFormatException when it is no Parquet file
   */
  public static Schema of(String file, Place location) throws IOException {
    try (ParquetFileReader reader = StoredInput.reader(location)) {
      List<Schema.Field> fields = new ArrayList<>();
      for (var f : reader.getFooter().getFileMetaData().getSchema().getFields()) {
        fields.add(
            new Schema.Field(
                f.getName(), unmarked(type(f)), f.getRepetition() != Repetition.REQUIRED));
      }
      return new Schema(fields);
    } catch (RuntimeException e) {
      throw new FileFormatException(
          "File [%s] cannot be read as Parquet: %s".formatted(file, e.getMessage()), e);
    }
  }

  /** Why a number of a file comes as text; empty where it is none. */
  public static Optional<String> whyText(String file, Place location, String column)
      throws IOException {
    try (ParquetFileReader reader = StoredInput.reader(location)) {
      var type = reader.getFooter().getFileMetaData().getSchema().getType(column);
      LogicalTypeAnnotation logical = type.getLogicalTypeAnnotation();
      if (logical instanceof LogicalTypeAnnotation.DecimalLogicalTypeAnnotation d) {
        return Optional.of(
            "the file declares decimal(%d, %d), which is wider than the %d digits that a decimal has here: it stays text, digit by digit"
                .formatted(d.getPrecision(), d.getScale(), Type.MAX_DECIMAL_PRECISION));
      }
      return Optional.empty();
    } catch (RuntimeException e) {
      throw new FileFormatException(
          "File [%s] cannot be read as Parquet: %s".formatted(file, e.getMessage()), e);
    }
  }

  /** Old writers leave texts without their mark, so that they look like binary values. */
  private static Type unmarked(Type type) {
    return switch (type.kind()) {
      case BINARY -> Type.VARCHAR;
      case LIST -> Type.list(unmarked(type.element()));
      case MAP ->
          Type.map(unmarked(type.parts().get(0).type()), unmarked(type.parts().get(1).type()));
      case STRUCT ->
          Type.struct(
              type.parts().stream().map(p -> new Type.Part(p.name(), unmarked(p.type()))).toList());
      default -> type;
    };
  }

  /** The type of a column just as it is marked. */
  static Type type(org.apache.parquet.schema.Type type) {
    Type one = type.isPrimitive() ? primitive(type.asPrimitiveType()) : group(type.asGroupType());
    return type.getRepetition() == Repetition.REPEATED ? Type.list(one) : one;
  }

  private static Type group(GroupType group) {
    LogicalTypeAnnotation logical = group.getLogicalTypeAnnotation();
    if (logical instanceof LogicalTypeAnnotation.ListLogicalTypeAnnotation) {
      var repeated = group.getType(0);
      boolean standard = !repeated.isPrimitive() && repeated.asGroupType().getFieldCount() == 1;
      return Type.list(
          standard
              ? type(repeated.asGroupType().getType(0))
              : repeated.isPrimitive()
                  ? primitive(repeated.asPrimitiveType())
                  : group(repeated.asGroupType()));
    }
    if (logical instanceof LogicalTypeAnnotation.MapLogicalTypeAnnotation) {
      GroupType entry = group.getType(0).asGroupType();
      return Type.map(type(entry.getType(0)), type(entry.getType(1)));
    }
    return Type.struct(
        group.getFields().stream().map(f -> new Type.Part(f.getName(), type(f))).toList());
  }

  static Type primitive(PrimitiveType type) {
    LogicalTypeAnnotation logical = type.getLogicalTypeAnnotation();
    if (logical instanceof LogicalTypeAnnotation.DecimalLogicalTypeAnnotation d) {
      // Wider decimals than ours come as text: a double would round them.
      return d.getPrecision() <= Type.MAX_DECIMAL_PRECISION
          ? Type.decimal(d.getPrecision(), d.getScale())
          : Type.VARCHAR;
    }
    if (logical instanceof LogicalTypeAnnotation.IntLogicalTypeAnnotation i && !i.isSigned()) {
      return switch (i.getBitWidth()) {
        case 64 -> Type.decimal(DIGITS_OF_UNSIGNED_LONG, 0);
        case 32 -> Type.BIGINT;
        default -> Type.INT;
      };
    }
    if (logical instanceof LogicalTypeAnnotation.DateLogicalTypeAnnotation) {
      return Type.DATE;
    }
    if (logical instanceof LogicalTypeAnnotation.TimestampLogicalTypeAnnotation t) {
      return t.isAdjustedToUTC() ? Type.TIMESTAMP_TZ : Type.TIMESTAMP;
    }
    if (type.getPrimitiveTypeName() == PrimitiveTypeName.INT96) {
      return Type.TIMESTAMP;
    }
    if (logical instanceof LogicalTypeAnnotation.TimeLogicalTypeAnnotation) {
      return Type.TIME;
    }
    if (logical instanceof LogicalTypeAnnotation.UUIDLogicalTypeAnnotation) {
      return Type.UUID;
    }
    return switch (type.getPrimitiveTypeName()) {
      case BOOLEAN -> Type.BOOLEAN;
      case INT32 -> Type.INT;
      case INT64 -> Type.BIGINT;
      case FLOAT -> Type.FLOAT;
      case DOUBLE -> Type.DOUBLE;
      case BINARY -> logical == null ? Type.BINARY : Type.VARCHAR;
      default -> Type.VARCHAR;
    };
  }
}

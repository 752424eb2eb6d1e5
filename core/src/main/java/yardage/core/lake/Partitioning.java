package yardage.core.lake;

import com.dynatrace.hash4j.hashing.Hashing;
import java.net.URLEncoder;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.apache.iceberg.PartitionData;
import org.apache.iceberg.PartitionSpec;
import yardage.core.column.*;

/**
 * How a table's rows fall into partitions. The folders show every level that was asked for ({@code
 * year=2026/month=3}); the table's own specification holds the finest level of each column, since a
 * month names its year and the format refuses both.
 */
public record Partitioning(Schema schema, List<PartitionField> fields) {
  private static final String NO_VALUE = "null";
  private static final int MOST_FOLDER_CHARS = 160;

  public Partitioning {
    fields = List.copyOf(fields);
    for (PartitionField field : fields) {
      int at = schema.indexOf(field.column());
      if (at < 0) {
        throw new LakeException(
            "Partition [%s] names a column that is not written; columns are %s"
                .formatted(field, schema.names()));
      }
      Type type = schema.field(at).type();
      boolean temporal = type.hasDays() || type.kind() == Type.Kind.TIME;
      if (field.transform().isTemporal() && !type.hasDays()) {
        throw new LakeException(
            "Partition [%s] needs a date or timestamp; [%s] is %s"
                .formatted(field, field.column(), type));
      }
      if (field.transform() == PartitionField.Transform.HOUR && !type.isTimestamp()) {
        throw new LakeException(
            "Partition [%s] needs a timestamp; [%s] is a date and has no hours"
                .formatted(field, field.column()));
      }
      boolean uncut =
          field.transform() == PartitionField.Transform.TRUNCATE
                  && (temporal || type.kind() == Type.Kind.UUID)
              || field.transform().isSized() && type.kind() == Type.Kind.BOOLEAN;
      if (uncut || type.isNested()) {
        throw new LakeException(
            "Partition [%s] is not possible, since [%s] is %s"
                .formatted(field, field.column(), type));
      }
      if (type.isApproximate()) {
        throw new LakeException(
            "Partition [%s] is a %s; partition by a whole number, a text or a date"
                .formatted(field, type));
      }
    }
  }

  /** The finest field of each column, in the order of first mention. */
  private List<PartitionField> finest() {
    Map<String, PartitionField> byColumn = new LinkedHashMap<>();
    for (PartitionField field : fields) {
      String column = field.column().toLowerCase(Locale.ROOT);
      boolean own = field.transform().isSized();
      byColumn.merge(own ? field.transform() + " " + column : column, field, Partitioning::finer);
    }
    return List.copyOf(byColumn.values());
  }

  private static PartitionField finer(PartitionField a, PartitionField b) {
    return fineness(a) >= fineness(b) ? a : b;
  }

  private static int fineness(PartitionField field) {
    return switch (field.transform()) {
      case YEAR -> 1;
      case MONTH -> 2;
      case DAY -> 3;
      case HOUR -> 4;
      case IDENTITY, BUCKET, TRUNCATE -> 5;
    };
  }

  PartitionSpec spec(org.apache.iceberg.Schema icebergSchema) {
    PartitionSpec.Builder builder = PartitionSpec.builderFor(icebergSchema);
    for (PartitionField field : finest()) {
      String column = schema.field(schema.indexOf(field.column())).name();
      switch (field.transform()) {
        case IDENTITY -> builder.identity(column);
        case YEAR -> builder.year(column);
        case MONTH -> builder.month(column);
        case DAY -> builder.day(column);
        case HOUR -> builder.hour(column);
        case BUCKET -> builder.bucket(column, field.size());
        case TRUNCATE -> builder.truncate(column, field.size());
      }
    }
    return builder.build();
  }

  /** The types of the values that tell partitions apart, one per level. */
  Type[] keyTypes() {
    return fields.stream()
        .map(
            f ->
                PartitionValues.type(
                    f.transform(), schema.field(schema.indexOf(f.column())).type()))
        .toArray(Type[]::new);
  }

  /** The values that tell partitions apart, as columns. */
  Column[] keys(Batch batch) {
    return fields.stream()
        .map(f -> PartitionValues.of(batch.column(schema.indexOf(f.column())), f))
        .toArray(Column[]::new);
  }

  /** The folder of a partition, relative to the table's data folder; empty without partitions. */
  String folder(List<Object> key) {
    StringBuilder path = new StringBuilder();
    for (int i = 0; i < fields.size(); i++) {
      PartitionField field = fields.get(i);
      String name =
          field.transform() == PartitionField.Transform.IDENTITY
              ? field.column()
              : levelName(field);
      path.append(name).append('=').append(text(field, key.get(i))).append('/');
    }
    return path.toString();
  }

  private String levelName(PartitionField field) {
    String unit = field.transform().name().toLowerCase(Locale.ROOT);
    boolean alone = fields.stream().filter(f -> f.transform() == field.transform()).count() == 1;
    return alone && field.transform().isTemporal() ? unit : field.column() + "_" + unit;
  }

  private static String text(PartitionField field, Object value) {
    if (value == null) {
      return NO_VALUE;
    }
    return switch (field.transform()) {
      case IDENTITY, TRUNCATE -> folderName(Values.text(value));
      case YEAR -> String.valueOf((Integer) value + 1970);
      case MONTH -> String.valueOf(Math.floorMod((Integer) value, 12) + 1);
      case DAY -> java.time.LocalDate.ofEpochDay((Integer) value).toString();
      case HOUR ->
          java.time.LocalDate.ofEpochDay(Math.floorDiv((Integer) value, 24))
              + "T%02d".formatted(Math.floorMod((Integer) value, 24));
      case BUCKET -> value.toString();
    };
  }

  /**
   * A value as a folder's name: escaped, unlike that of no value, and no longer than file systems
   * take. What is cut is told apart by its hash; the table itself keeps the whole value.
   */
  private static String folderName(String value) {
    if (value.equals(NO_VALUE)) {
      return "%6Eull";
    }
    String escaped = URLEncoder.encode(value, StandardCharsets.UTF_8);
    if (escaped.length() <= MOST_FOLDER_CHARS) {
      return escaped;
    }
    return escaped.substring(0, MOST_FOLDER_CHARS - 40)
        + "~"
        + Hashing.xxh3_128().hashBytesTo128Bits(value.getBytes(StandardCharsets.UTF_8));
  }

  /** The key as the table's specification holds it. */
  PartitionData data(PartitionSpec spec, List<Object> key) {
    PartitionData data = new PartitionData(spec.partitionType());
    List<PartitionField> finest = finest();
    for (int i = 0; i < finest.size(); i++) {
      Object value = key.get(fields.indexOf(finest.get(i)));
      data.set(i, stored(value, schema.field(schema.indexOf(finest.get(i).column())).type()));
    }
    return data;
  }

  /** A boxed value as the format's library holds it. */
  private static Object stored(Object value, Type type) {
    if (value instanceof LocalDate date) {
      return (int) date.toEpochDay();
    } else if (value instanceof LocalTime time) {
      return Values.micros(time);
    } else if (value instanceof LocalDateTime time) {
      return Values.micros(time);
    } else if (value instanceof Instant time) {
      return Values.micros(time);
    }
    return value instanceof String hex && type.kind() == Type.Kind.BINARY
        ? ByteBuffer.wrap(HexFormat.of().parseHex(hex))
        : value;
  }

  /** What a specification found in a table says, for comparing and showing. */
  static List<PartitionField> fromSpec(PartitionSpec spec) {
    List<PartitionField> out = new ArrayList<>();
    for (org.apache.iceberg.PartitionField f : spec.fields()) {
      String column = spec.schema().findColumnName(f.sourceId());
      // As the format writes them: identity, month, bucket[16], truncate[3].
      String[] transform = f.transform().toString().split("[\\[\\]]");
      out.add(
          new PartitionField(
              PartitionField.Transform.valueOf(transform[0].toUpperCase(Locale.ROOT)),
              column,
              transform.length > 1 ? Integer.parseInt(transform[1]) : 0));
    }
    return out;
  }

  /** Whether two ways to partition tell the same partitions apart. */
  boolean sameAs(PartitionSpec spec) {
    List<String> mine = finest().stream().map(f -> f.toString().toLowerCase(Locale.ROOT)).toList();
    List<String> theirs =
        fromSpec(spec).stream().map(f -> f.toString().toLowerCase(Locale.ROOT)).toList();
    return mine.equals(theirs);
  }
}

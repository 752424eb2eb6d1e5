package yardage.core.lake;

import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.apache.iceberg.PartitionData;
import org.apache.iceberg.PartitionSpec;
import org.apache.iceberg.transforms.Transforms;
import yardage.core.column.*;

/**
 * How a table's rows fall into partitions. The folders show every level that was asked for ({@code
 * year=2026/month=3}); the table's own specification holds the finest level of each column, since a
 * month names its year and the format refuses both.
 */
public final class Partitioning {
  private final List<PartitionField> fields;
  private final Schema schema;

  public Partitioning(Schema schema, List<PartitionField> fields) {
    this.schema = schema;
    this.fields = List.copyOf(fields);
    for (PartitionField field : fields) {
      int at = schema.indexOf(field.column());
      if (at < 0) {
        throw new LakeException(
            "Partition [%s] names a column that is not written; columns are %s"
                .formatted(field, schema.names()));
      }
      Type type = schema.field(at).type();
      boolean temporal = type.kind() == Type.Kind.DATE || type.kind() == Type.Kind.TIMESTAMP;
      if (field.transform() != PartitionField.Transform.IDENTITY && !temporal) {
        throw new LakeException(
            "Partition [%s] needs a date or timestamp; [%s] is %s"
                .formatted(field, field.column(), type));
      }
      if (type.kind() == Type.Kind.DOUBLE) {
        throw new LakeException(
            "Partition [%s] is a double; partition by a whole number, a text or a date"
                .formatted(field));
      }
    }
  }

  public List<PartitionField> fields() {
    return fields;
  }

  /** The finest field of each column, in the order of first mention. */
  private List<PartitionField> finest() {
    Map<String, PartitionField> byColumn = new LinkedHashMap<>();
    for (PartitionField field : fields) {
      byColumn.merge(field.column().toLowerCase(Locale.ROOT), field, Partitioning::finer);
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
      case IDENTITY -> 4;
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
      }
    }
    return builder.build();
  }

  /** The types of the values that tell partitions apart, one per level. */
  Type[] keyTypes() {
    return fields.stream()
        .map(
            f ->
                f.transform() == PartitionField.Transform.IDENTITY
                    ? schema.field(schema.indexOf(f.column())).type()
                    : Type.INT)
        .toArray(Type[]::new);
  }

  /**
   * The values that tell partitions apart, as columns: years, months and days count from 1970, as
   * the format has it.
   */
  Column[] keys(Batch batch) {
    Column[] out = new Column[fields.size()];
    for (int i = 0; i < out.length; i++) {
      Column source = batch.column(schema.indexOf(fields.get(i).column()));
      out[i] =
          fields.get(i).transform() == PartitionField.Transform.IDENTITY
              ? source
              : transformed(source, fields.get(i).transform());
    }
    return out;
  }

  private static Column transformed(Column source, PartitionField.Transform transform) {
    int n = source.size();
    int[] out = new int[n];
    int lastDay = Integer.MIN_VALUE;
    int last = 0;
    for (int i = 0; i < n; i++) {
      if (source.isNull(i)) {
        continue;
      }
      int day =
          source instanceof IntColumn dates
              ? dates.values()[i]
              : (int) Math.floorDiv(((LongColumn) source).values()[i], 86_400_000_000L);
      if (day != lastDay) {
        lastDay = day;
        java.time.LocalDate date = java.time.LocalDate.ofEpochDay(day);
        last =
            switch (transform) {
              case YEAR -> date.getYear() - 1970;
              case MONTH -> (date.getYear() - 1970) * 12 + date.getMonthValue() - 1;
              default -> day;
            };
      }
      out[i] = last;
    }
    return new IntColumn(Type.INT, out, source.nulls(), n);
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
    return alone ? unit : field.column() + "_" + unit;
  }

  private static String text(PartitionField field, Object value) {
    if (value == null) {
      return "null";
    }
    return switch (field.transform()) {
      case IDENTITY -> URLEncoder.encode(Values.text(value), StandardCharsets.UTF_8);
      case YEAR -> String.valueOf((Integer) value + 1970);
      case MONTH -> String.valueOf(Math.floorMod((Integer) value, 12) + 1);
      case DAY -> java.time.LocalDate.ofEpochDay((Integer) value).toString();
    };
  }

  /** The key as the table's specification holds it. */
  PartitionData data(PartitionSpec spec, List<Object> key) {
    PartitionData data = new PartitionData(spec.partitionType());
    List<PartitionField> finest = finest();
    for (int i = 0; i < finest.size(); i++) {
      Object value = key.get(fields.indexOf(finest.get(i)));
      if (value instanceof java.time.LocalDate date) {
        value = (int) date.toEpochDay();
      } else if (value instanceof java.time.LocalDateTime time) {
        value = Values.micros(time);
      }
      data.set(i, value);
    }
    return data;
  }

  /** What a specification found in a table says, for comparing and showing. */
  static List<PartitionField> fromSpec(PartitionSpec spec) {
    List<PartitionField> out = new ArrayList<>();
    for (org.apache.iceberg.PartitionField f : spec.fields()) {
      String column = spec.schema().findColumnName(f.sourceId());
      String transform = f.transform().toString();
      out.add(
          new PartitionField(
              f.transform().equals(Transforms.identity()) || transform.equals("identity")
                  ? PartitionField.Transform.IDENTITY
                  : PartitionField.Transform.valueOf(transform.toUpperCase(Locale.ROOT)),
              column));
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

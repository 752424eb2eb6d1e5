package yardage.core.format.parquet;

import java.io.IOException;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.ZoneOffset;
import java.util.Base64;
import java.util.UUID;
import org.apache.parquet.column.page.PageReadStore;
import org.apache.parquet.example.data.Group;
import org.apache.parquet.example.data.simple.convert.GroupRecordConverter;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.io.ColumnIOFactory;
import org.apache.parquet.io.RecordReader;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.schema.GroupType;
import org.apache.parquet.schema.LogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.DateLogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.DecimalLogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.ListLogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.MapLogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.TimeUnit;
import org.apache.parquet.schema.LogicalTypeAnnotation.TimestampLogicalTypeAnnotation;
import org.apache.parquet.schema.MessageType;
import org.apache.parquet.schema.PrimitiveType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import org.apache.parquet.schema.Type;
import org.apache.parquet.schema.Type.Repetition;
import yardage.core.column.Json;
import yardage.core.column.Values;
import yardage.core.format.FileFormatException;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.storage.Place;

/** Gives the rows of a Parquet file as JSON lines. */
final class ParquetChunker implements Chunker {
  private static final long JULIAN_DAY_OF_EPOCH = 2_440_588;

  private final String file;
  private final FieldMap fields;
  private final ParquetFileReader reader;
  private final MessageType schema;
  private RecordReader<Group> records;
  private long left;
  private long record;
  private int ordinal;

  ParquetChunker(String file, Place location, FieldMap fields) throws IOException {
    this.file = file;
    this.fields = fields;
    try {
      reader = StoredInput.reader(location);
    } catch (RuntimeException e) {
      throw new FileFormatException(
          "File [%s] cannot be read as Parquet: %s; get it again, or change the feed's format"
              .formatted(file, e.getMessage()),
          e);
    }
    schema = reader.getFooter().getFileMetaData().getSchema();
  }

  @Override
  public FieldMap fields() {
    return fields;
  }

  @Override
  public boolean next(Chunk chunk) throws IOException {
    chunk.defect = null;
    chunk.start = 0;
    chunk.end = 0;
    chunk.line = record + 1;
    chunk.byteOffset = 0;
    chunk.firstRecord = record;
    chunk.ordinal = ordinal++;
    StringBuilder out = new StringBuilder();
    try {
      while (out.length() < chunk.targetBytes() / 2 && advance()) {
        group(records.read(), schema, out);
        out.append('\n');
        left--;
        record++;
      }
    } catch (RuntimeException e) {
      reader.close();
      throw new FileFormatException(
          "File [%s] is damaged: its row %,d cannot be read: %s; get the file again"
              .formatted(file, record + 1, e.getMessage()),
          e);
    }
    if (out.isEmpty()) {
      reader.close();
      return false;
    }
    byte[] utf8 = out.toString().getBytes(StandardCharsets.UTF_8);
    if (chunk.buffer.length < utf8.length + Chunk.PADDING) {
      chunk.reserve.accept(utf8.length + Chunk.PADDING);
      chunk.buffer = new byte[utf8.length + Chunk.PADDING];
    }
    System.arraycopy(utf8, 0, chunk.buffer, 0, utf8.length);
    java.util.Arrays.fill(chunk.buffer, utf8.length, utf8.length + Chunk.PADDING, (byte) 0);
    chunk.end = utf8.length;
    return true;
  }

  void close() throws IOException {
    reader.close();
  }

  private boolean advance() throws IOException {
    while (left == 0) {
      PageReadStore pages = reader.readNextRowGroup();
      if (pages == null) {
        return false;
      }
      left = pages.getRowCount();
      records =
          new ColumnIOFactory()
              .getColumnIO(schema)
              .getRecordReader(pages, new GroupRecordConverter(schema));
    }
    return true;
  }

  private static void group(Group group, GroupType type, StringBuilder out) {
    char before = '{';
    for (int f = 0; f < type.getFieldCount(); f++) {
      Type field = type.getType(f);
      int count = group.getFieldRepetitionCount(f);
      if (count == 0 && field.getRepetition() != Repetition.REPEATED) {
        continue;
      }
      out.append(before);
      before = ',';
      Json.quote(field.getName(), out);
      out.append(':');
      if (field.getRepetition() == Repetition.REPEATED) {
        list(group, f, field, count, out);
      } else {
        value(group, f, 0, field, out);
      }
    }
    out.append(before == '{' ? "{}" : "}");
  }

  private static void list(Group group, int field, Type type, int count, StringBuilder out) {
    out.append('[');
    for (int i = 0; i < count; i++) {
      out.append(i > 0 ? "," : "");
      value(group, field, i, type, out);
    }
    out.append(']');
  }

  private static void value(Group holder, int field, int at, Type type, StringBuilder out) {
    if (type.isPrimitive()) {
      primitive(holder, field, at, type.asPrimitiveType(), out);
      return;
    }
    Group group = holder.getGroup(field, at);
    LogicalTypeAnnotation logical = type.getLogicalTypeAnnotation();
    Type inside = type.asGroupType().getType(0);
    if (logical instanceof ListLogicalTypeAnnotation) {
      out.append('[');
      int count = group.getFieldRepetitionCount(0);
      for (int i = 0; i < count; i++) {
        out.append(i > 0 ? "," : "");
        // Three levels are the standard; older writers repeat the element itself.
        if (!inside.isPrimitive() && inside.asGroupType().getFieldCount() == 1) {
          Group element = group.getGroup(0, i);
          if (element.getFieldRepetitionCount(0) == 0) {
            out.append("null");
          } else {
            value(element, 0, 0, inside.asGroupType().getType(0), out);
          }
        } else {
          value(group, 0, i, inside, out);
        }
      }
      out.append(']');
    } else if (logical instanceof MapLogicalTypeAnnotation) {
      char before = '{';
      for (int i = 0; i < group.getFieldRepetitionCount(0); i++) {
        Group entry = group.getGroup(0, i);
        out.append(before);
        before = ',';
        StringBuilder key = new StringBuilder();
        value(entry, 0, 0, inside.asGroupType().getType(0), key);
        out.append(key.charAt(0) == '"' ? key : "\"" + key + "\"").append(':');
        if (entry.getFieldRepetitionCount(1) == 0) {
          out.append("null");
        } else {
          value(entry, 1, 0, inside.asGroupType().getType(1), out);
        }
      }
      out.append(before == '{' ? "{}" : "}");
    } else {
      group(group, type.asGroupType(), out);
    }
  }

  private static void primitive(
      Group holder, int field, int at, PrimitiveType type, StringBuilder out) {
    LogicalTypeAnnotation logical = type.getLogicalTypeAnnotation();
    PrimitiveTypeName physical = type.getPrimitiveTypeName();
    Object value =
        switch (physical) {
          case BOOLEAN -> holder.getBoolean(field, at);
          case INT32 -> (long) holder.getInteger(field, at);
          case INT64 -> holder.getLong(field, at);
          case FLOAT -> Double.parseDouble(Float.toString(holder.getFloat(field, at)));
          case DOUBLE -> holder.getDouble(field, at);
          case INT96 -> int96(holder.getInt96(field, at));
          default -> holder.getBinary(field, at);
        };
    if (logical instanceof LogicalTypeAnnotation.IntLogicalTypeAnnotation i
        && !i.isSigned()
        && value instanceof Long n) {
      out.append(
          physical == PrimitiveTypeName.INT64
              ? Long.toUnsignedString(n)
              : Long.toString(n & 0xffffffffL));
      return;
    }
    if (logical instanceof DecimalLogicalTypeAnnotation decimal) {
      BigInteger unscaled =
          value instanceof Binary b
              ? new BigInteger(b.getBytes())
              : BigInteger.valueOf((Long) value);
      Json.write(new BigDecimal(unscaled, decimal.getScale()), out);
    } else if (logical instanceof DateLogicalTypeAnnotation) {
      Json.write(LocalDate.ofEpochDay((Long) value), out);
    } else if (logical instanceof TimestampLogicalTypeAnnotation t) {
      LocalDateTime time = Values.timestamp(micros((Long) value, t.getUnit()));
      Json.write(t.isAdjustedToUTC() ? time.toInstant(ZoneOffset.UTC) : time, out);
    } else if (logical instanceof LogicalTypeAnnotation.TimeLogicalTypeAnnotation t) {
      Json.write(LocalTime.ofNanoOfDay(micros((Long) value, t.getUnit()) * 1000).toString(), out);
    } else if (logical instanceof LogicalTypeAnnotation.UUIDLogicalTypeAnnotation) {
      ByteBuffer bytes = ((Binary) value).toByteBuffer();
      Json.write(new UUID(bytes.getLong(), bytes.getLong()), out);
    } else if (value instanceof Binary b) {
      boolean text =
          logical instanceof LogicalTypeAnnotation.StringLogicalTypeAnnotation
              || logical instanceof LogicalTypeAnnotation.EnumLogicalTypeAnnotation
              || logical instanceof LogicalTypeAnnotation.JsonLogicalTypeAnnotation
              || logical == null && isText(b);
      Json.quote(
          text ? b.toStringUsingUTF8() : Base64.getEncoder().encodeToString(b.getBytes()), out);
    } else {
      Json.write(value, out);
    }
  }

  /** Old writers leave texts without their mark. */
  private static boolean isText(Binary b) {
    return b.toStringUsingUTF8().indexOf('\uFFFD') < 0;
  }

  private static long micros(long value, TimeUnit unit) {
    return switch (unit) {
      case MILLIS -> Math.multiplyExact(value, 1000L);
      case MICROS -> value;
      case NANOS -> Math.floorDiv(value, 1000L);
    };
  }

  private static Object int96(Binary value) {
    var b = value.toByteBuffer().order(ByteOrder.LITTLE_ENDIAN);
    long nanos = b.getLong();
    long day = b.getInt() - JULIAN_DAY_OF_EPOCH;
    return Values.timestamp(day * 86_400_000_000L + nanos / 1000);
  }
}

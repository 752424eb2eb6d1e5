package yardage.core.lake;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import org.apache.iceberg.util.BucketUtil;
import yardage.core.column.Column;
import yardage.core.column.IntColumn;
import yardage.core.column.LongColumn;
import yardage.core.column.TextBuilder;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.column.WideBuilder;
import yardage.core.column.WideColumn;

/**
 * The values that tell partitions apart, computed a column at a time. They are those of the table
 * format (Iceberg specification, partition transforms): years to hours count from 1970, buckets are
 * a 32-bit Murmur3 hash modulo their number, truncation rounds numbers down to a multiple and cuts
 * texts after so many characters.
 */
final class PartitionValues {
  private static final long MICROS_PER_HOUR = 3_600_000_000L;
  private static final long MICROS_PER_DAY = 24 * MICROS_PER_HOUR;

  private PartitionValues() {}

  /** The type of the values that a transform gives. */
  static Type type(PartitionField.Transform transform, Type source) {
    return switch (transform) {
      case IDENTITY, TRUNCATE -> source;
      default -> Type.INT;
    };
  }

  static Column of(Column source, PartitionField field) {
    return switch (field.transform()) {
      case IDENTITY -> source;
      case YEAR, MONTH, DAY, HOUR -> time(source, field.transform());
      case BUCKET -> bucket(source, field.size());
      case TRUNCATE -> truncated(source, field.size());
    };
  }

  private static Column time(Column source, PartitionField.Transform transform) {
    int n = source.size();
    int[] out = new int[n];
    int lastDay = Integer.MIN_VALUE;
    int last = 0;
    for (int i = 0; i < n; i++) {
      if (source.isNull(i)) {
        continue;
      }
      if (transform == PartitionField.Transform.HOUR) {
        out[i] = (int) Math.floorDiv(((LongColumn) source).values()[i], MICROS_PER_HOUR);
        continue;
      }
      int day =
          source instanceof IntColumn dates
              ? dates.values()[i]
              : (int) Math.floorDiv(((LongColumn) source).values()[i], MICROS_PER_DAY);
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

  private static Column bucket(Column source, int buckets) {
    int n = source.size();
    int[] out = new int[n];
    if (source instanceof TextColumn text) {
      TextColumn entries = text.entries();
      int[] ofEntry = new int[text.entryCount()];
      for (int e = 0; e < ofEntry.length; e++) {
        ofEntry[e] = bucketOf(hash(entries, e), buckets);
      }
      for (int i = 0; i < n; i++) {
        out[i] = text.isNull(i) ? 0 : ofEntry[text.entry(i)];
      }
    } else if (source instanceof IntColumn ints) {
      for (int i = 0; i < n; i++) {
        out[i] = bucketOf(BucketUtil.hash(ints.values()[i]), buckets);
      }
    } else if (source instanceof WideColumn wide) {
      for (int i = 0; i < n; i++) {
        out[i] = source.isNull(i) ? 0 : bucketOf(hash(wide, i), buckets);
      }
    } else {
      LongColumn longs = (LongColumn) source;
      boolean decimal = source.type().kind() == Type.Kind.DECIMAL;
      int scale = decimal ? source.type().scale() : 0;
      for (int i = 0; i < n; i++) {
        long value = longs.values()[i];
        int hash =
            decimal ? BucketUtil.hash(BigDecimal.valueOf(value, scale)) : BucketUtil.hash(value);
        out[i] = bucketOf(hash, buckets);
      }
    }
    return new IntColumn(Type.INT, out, source.nulls(), n);
  }

  private static int hash(TextColumn text, int entry) {
    return text.type().kind() == Type.Kind.BINARY
        ? BucketUtil.hash(
            ByteBuffer.wrap(text.bytes(), text.start(entry), text.end(entry) - text.start(entry)))
        : BucketUtil.hash(text.value(entry));
  }

  private static int hash(WideColumn wide, int row) {
    return wide.type().kind() == Type.Kind.UUID
        ? BucketUtil.hash(wide.uuid(row))
        : BucketUtil.hash(wide.decimal(row));
  }

  private static int bucketOf(int hash, int buckets) {
    return (hash & Integer.MAX_VALUE) % buckets;
  }

  private static Column truncated(Column source, int width) {
    int n = source.size();
    if (source instanceof TextColumn text) {
      return text.withEntries(beginnings(text.entries(), width));
    }
    if (source instanceof IntColumn ints) {
      int[] out = new int[n];
      for (int i = 0; i < n; i++) {
        out[i] = ints.values()[i] - Math.floorMod(ints.values()[i], width);
        if (!source.isNull(i) && out[i] > ints.values()[i]) {
          throw tooSmall(source, i, width);
        }
      }
      return new IntColumn(source.type(), out, source.nulls(), n);
    }
    if (source instanceof WideColumn wide) {
      return truncated(wide, width);
    }
    long[] out = new long[n];
    long[] values = ((LongColumn) source).values();
    long least =
        source.type().kind() == Type.Kind.DECIMAL
            ? -(BigInteger.TEN.pow(source.type().precision()).longValueExact() - 1)
            : Long.MIN_VALUE;
    for (int i = 0; i < n; i++) {
      out[i] = values[i] - Math.floorMod(values[i], (long) width);
      if (!source.isNull(i) && (out[i] > values[i] || out[i] < least)) {
        throw tooSmall(source, i, width);
      }
    }
    return new LongColumn(source.type(), out, source.nulls(), n);
  }

  private static Column truncated(WideColumn source, int width) {
    WideBuilder out = new WideBuilder(source.type());
    BigInteger least = BigInteger.TEN.pow(source.type().precision()).negate();
    for (int i = 0; i < source.size(); i++) {
      if (source.isNull(i)) {
        out.appendNull();
        continue;
      }
      BigInteger value = source.decimal(i).unscaledValue();
      BigInteger multiple = value.subtract(value.mod(BigInteger.valueOf(width)));
      if (multiple.compareTo(least) <= 0) {
        throw tooSmall(source, i, width);
      }
      out.append(multiple);
    }
    return out.build();
  }

  /** A value that has no multiple of the width below it which its type holds. */
  private static LakeException tooSmall(Column source, int row, int width) {
    return new LakeException(
        "Partition value [%s] is too near the least %s to be truncated to a multiple of %d; partition by the value itself or by a bucket, or keep such rows out in a step before"
            .formatted(Values.text(source.value(row)), source.type(), width));
  }

  /** The first characters (code points) of each text, or the first bytes of binary values. */
  private static TextColumn beginnings(TextColumn texts, int width) {
    TextBuilder out = new TextBuilder();
    byte[] bytes = texts.bytes();
    boolean isText = texts.type().kind() == Type.Kind.VARCHAR;
    for (int i = 0; i < texts.size(); i++) {
      int end = texts.start(i);
      int stop = texts.end(i);
      for (int characters = 0; end < stop; end++) {
        boolean begins = !isText || (bytes[end] & 0xC0) != 0x80;
        if (begins && ++characters > width) {
          break;
        }
      }
      out.append(bytes, texts.start(i), end - texts.start(i));
    }
    return out.build().as(texts.type());
  }
}

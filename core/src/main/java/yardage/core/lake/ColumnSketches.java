package yardage.core.lake;

import java.util.ArrayList;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import yardage.core.column.*;
import yardage.core.format.parquet.DistinctRows;

/**
 * What was written of a table's columns, as sketches of their values. Booleans, fractions that are
 * rounded, bytes and nested columns have none: nobody joins or groups by them, or what is known of
 * them is enough. Thread-safe.
 */
final class ColumnSketches implements DistinctRows {
  /** By the number of the column in the table format. */
  record Encoded(int field, String sketch) {
    static Encoded of(int field, ValueSketch sketch) {
      return new Encoded(field, Base64.getEncoder().encodeToString(sketch.toBytes()));
    }

    ValueSketch decoded() {
      return ValueSketch.of(Base64.getDecoder().decode(sketch));
    }
  }

  private static final int HASHED_TOGETHER = 256;

  private final org.apache.iceberg.Schema iceberg;
  private final Map<Integer, ValueSketch> byColumn = new TreeMap<>();

  ColumnSketches(Schema schema, org.apache.iceberg.Schema iceberg) {
    this.iceberg = iceberg;
    for (int c = 0; c < schema.size(); c++) {
      if (isSketched(schema.field(c).type())) {
        byColumn.put(c, new ValueSketch());
      }
    }
  }

  private static boolean isSketched(Type type) {
    return switch (type.kind()) {
      case INT, BIGINT, DECIMAL, VARCHAR, UUID, DATE, TIME, TIMESTAMP, TIMESTAMP_TZ -> true;
      case BOOLEAN, FLOAT, DOUBLE, BINARY, STRUCT, LIST, MAP -> false;
    };
  }

  @Override
  public void some(int column, Column values, int[] rows, int n) {
    ValueSketch sketch = byColumn.get(column);
    if (sketch != null) {
      add(sketch, values, rows, n);
    }
  }

  @Override
  public void all(int column, Column values) {
    ValueSketch sketch = byColumn.get(column);
    if (sketch != null) {
      add(sketch, values, new int[0], values.size());
    }
  }

  /**
   * @param rows of the values; all where it is empty
   */
  private static void add(ValueSketch sketch, Column values, int[] rows, int n) {
    long bound = bound(sketch);
    long[] hashes = new long[HASHED_TOGETHER];
    int[] some = new int[HASHED_TOGETHER];
    int next = 0;
    while (next < n) {
      int count = 0;
      for (; next < n && count < HASHED_TOGETHER; next++) {
        some[count] = rows.length == 0 ? next : rows[next];
        count += values.isNull(some[count]) ? 0 : 1;
      }
      hash(values, some, count, hashes);
      int found = 0;
      for (int i = 0; i < count; i++) {
        long hash = hashes[i];
        hashes[found] = hash;
        found += hash < bound ? 1 : 0;
      }
      if (found > 0) {
        bound = add(sketch, hashes, found);
      }
    }
  }

  private static long bound(ValueSketch sketch) {
    synchronized (sketch) {
      return sketch.bound();
    }
  }

  private static long add(ValueSketch sketch, long[] hashes, int n) {
    synchronized (sketch) {
      for (int i = 0; i < n; i++) {
        sketch.add(hashes[i]);
      }
      return sketch.bound();
    }
  }

  /**
   * The hashes of values in the format's form of single ones (Iceberg specification, appendix D).
   */
  private static void hash(Column values, int[] rows, int n, long[] hashes) {
    Type.Kind kind = values.type().kind();
    if (values instanceof TextColumn text) {
      for (int i = 0; i < n; i++) {
        hashes[i] = ValueSketch.hash(text.bytes(), text.start(rows[i]), text.end(rows[i]));
      }
    } else if (values instanceof WideColumn wide) {
      byte[] bytes = new byte[16];
      for (int i = 0; i < n; i++) {
        long high = wide.high()[rows[i]] ^ WideColumn.turn(wide.type());
        int from = kind == Type.Kind.UUID ? 0 : -1;
        hashes[i] = unscaled(high, wide.low()[rows[i]], bytes, from);
      }
    } else if (values instanceof LongColumn numbers && kind == Type.Kind.DECIMAL) {
      for (int i = 0; i < n; i++) {
        hashes[i] = ValueSketch.hashUnscaled(numbers.values()[rows[i]]);
      }
    } else if (values instanceof LongColumn numbers) {
      for (int i = 0; i < n; i++) {
        hashes[i] = ValueSketch.hash(numbers.values()[rows[i]]);
      }
    } else {
      int[] numbers = ((IntColumn) values).values();
      for (int i = 0; i < n; i++) {
        hashes[i] = ValueSketch.hash(numbers[rows[i]]);
      }
    }
  }

  /**
   * The most significant byte first.
   *
   * @param from the first byte; -1 for as few as the number needs
   */
  private static long unscaled(long high, long low, byte[] bytes, int from) {
    for (int i = 0; i < 8; i++) {
      bytes[i] = (byte) (high >>> 56 - 8 * i);
      bytes[8 + i] = (byte) (low >>> 56 - 8 * i);
    }
    int first = from;
    if (from < 0) {
      byte sign = (byte) (high >> 63);
      first = 0;
      while (first < 15 && bytes[first] == sign && bytes[first + 1] >> 7 == sign) {
        first++;
      }
    }
    return ValueSketch.hash(bytes, first, 16);
  }

  long sizeBytes() {
    long sum = 0;
    for (ValueSketch sketch : byColumn.values()) {
      synchronized (sketch) {
        sum += sketch.sizeBytes();
      }
    }
    return sum;
  }

  /** The sketches once all rows have come. */
  List<Encoded> encoded() {
    List<Encoded> out = new ArrayList<>();
    byColumn.forEach(
        (column, sketch) -> {
          synchronized (sketch) {
            out.add(Encoded.of(iceberg.columns().get(column).fieldId(), sketch));
          }
        });
    return out;
  }
}

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
    long[] hashes = new long[256];
    int found = 0;
    byte[] bytes = new byte[16];
    for (int i = 0; i < n; i++) {
      int r = rows.length == 0 ? i : rows[i];
      if (values.isNull(r)) {
        continue;
      }
      long hash = hash(values, r, bytes);
      hashes[found] = hash;
      found += hash < bound ? 1 : 0;
      if (found == hashes.length) {
        bound = add(sketch, hashes, found);
        found = 0;
      }
    }
    add(sketch, hashes, found);
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
   * The hash of a value in the format's form of single values (Iceberg specification, appendix D).
   *
   * @param bytes for numbers, 16 of them
   */
  private static long hash(Column values, int row, byte[] bytes) {
    if (values instanceof TextColumn text) {
      return ValueSketch.hash(text.bytes(), text.start(row), text.end(row));
    }
    if (values instanceof WideColumn wide) {
      long high = wide.high()[row] ^ WideColumn.turn(wide.type());
      int from = wide.type().kind() == Type.Kind.UUID ? 0 : -1;
      return unscaled(high, wide.low()[row], bytes, from);
    }
    long number = Values.whole(values, row);
    if (values.type().kind() == Type.Kind.DECIMAL) {
      return unscaled(number >> 63, number, bytes, -1);
    }
    if (values instanceof IntColumn) {
      for (int i = 0; i < 4; i++) {
        bytes[i] = (byte) (number >>> 8 * i);
      }
      return ValueSketch.hash(bytes, 0, 4);
    }
    return ValueSketch.hash(number);
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

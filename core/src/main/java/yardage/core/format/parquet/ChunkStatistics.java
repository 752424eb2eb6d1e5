package yardage.core.format.parquet;

import java.util.Arrays;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.schema.PrimitiveType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import yardage.core.column.*;

/** The smallest and largest values of pages. */
final class ChunkStatistics {
  private ChunkStatistics() {}

  /**
   * @param rows those of the page that have a value, the first {@code values} of them
   */
  static Statistics<?> of(Column column, PrimitiveType type, int[] rows, int values, int nulls) {
    Statistics<?> statistics = Statistics.createStats(type);
    statistics.incrementNumNulls(nulls);
    if (values > 0) {
      if (column instanceof IntColumn c) {
        ints(c.values(), rows, values, statistics);
      } else if (column instanceof LongColumn c) {
        longs(c.values(), type, rows, values, statistics);
      } else if (column instanceof WideColumn c) {
        wides(c, type, rows, values, statistics);
      } else if (column instanceof DoubleColumn c) {
        doubles(c, rows, values, statistics);
      } else if (column instanceof BooleanColumn c) {
        for (int i = 0; i < values; i++) {
          statistics.updateStats(c.values()[rows[i]] != 0);
        }
      } else {
        texts((TextColumn) column, rows, values, statistics);
      }
    }
    return statistics;
  }

  private static void ints(int[] v, int[] rows, int values, Statistics<?> statistics) {
    int min = Integer.MAX_VALUE;
    int max = Integer.MIN_VALUE;
    for (int i = 0; i < values; i++) {
      min = Math.min(min, v[rows[i]]);
      max = Math.max(max, v[rows[i]]);
    }
    statistics.updateStats(min);
    statistics.updateStats(max);
  }

  private static void longs(
      long[] v, PrimitiveType type, int[] rows, int values, Statistics<?> statistics) {
    long min = Long.MAX_VALUE;
    long max = Long.MIN_VALUE;
    for (int i = 0; i < values; i++) {
      min = Math.min(min, v[rows[i]]);
      max = Math.max(max, v[rows[i]]);
    }
    if (type.getPrimitiveTypeName() == PrimitiveTypeName.INT32) {
      statistics.updateStats((int) min);
      statistics.updateStats((int) max);
    } else {
      statistics.updateStats(min);
      statistics.updateStats(max);
    }
  }

  private static void doubles(DoubleColumn c, int[] rows, int values, Statistics<?> statistics) {
    boolean isFloat = c.type().kind() == Type.Kind.FLOAT;
    for (int i = 0; i < values; i++) {
      double v = c.values()[rows[i]];
      if (isFloat) {
        statistics.updateStats((float) v);
      } else {
        statistics.updateStats(v);
      }
    }
  }

  private static void wides(
      WideColumn c, PrimitiveType type, int[] rows, int values, Statistics<?> statistics) {
    int min = rows[0];
    int max = rows[0];
    for (int i = 1; i < values; i++) {
      int r = rows[i];
      min = Values.compare(c, r, c, min) < 0 ? r : min;
      max = Values.compare(c, r, c, max) > 0 ? r : max;
    }
    statistics.updateStats(binary(c, min, type.getTypeLength()));
    statistics.updateStats(binary(c, max, type.getTypeLength()));
  }

  private static Binary binary(WideColumn c, int row, int length) {
    byte[] bytes = new byte[length];
    PageBuffer.setWide(c.high()[row] ^ WideColumn.turn(c.type()), c.low()[row], bytes, 0, length);
    return Binary.fromConstantByteArray(bytes);
  }

  private static void texts(TextColumn t, int[] rows, int values, Statistics<?> statistics) {
    Extreme min = new Extreme(t, rows[0]);
    Extreme max = new Extreme(t, rows[0]);
    byte[] b = t.bytes();
    for (int i = 1; i < values; i++) {
      int r = rows[i];
      long head = TextHeads.ordered(TextHeads.head(b, t.start(r), t.end(r)));
      // Most values lie between the two by their first bytes alone.
      if (head <= min.head && min.compare(head, r) < 0) {
        min.set(head, r);
      } else if (head >= max.head && max.compare(head, r) > 0) {
        max.set(head, r);
      }
    }
    statistics.updateStats(min.value());
    statistics.updateStats(max.value());
  }

  /** The smallest or largest text so far, with its first sixteen bytes as two numbers. */
  private static final class Extreme {
    private final TextColumn texts;
    private int row;
    private long head;
    private long second;

    Extreme(TextColumn texts, int row) {
      this.texts = texts;
      set(TextHeads.ordered(TextHeads.head(texts.bytes(), texts.start(row), texts.end(row))), row);
    }

    void set(long head, int row) {
      this.head = head;
      this.row = row;
      second = second(row);
    }

    private long second(int r) {
      int from = texts.start(r) + Long.BYTES;
      int to = texts.end(r);
      return from < to
          ? TextHeads.ordered(TextHeads.head(texts.bytes(), from, to))
          : Long.MIN_VALUE;
    }

    /** A row beside this one. */
    int compare(long otherHead, int other) {
      if (otherHead != head) {
        return Long.compare(otherHead, head);
      }
      long otherSecond = second(other);
      return otherSecond != second
          ? Long.compare(otherSecond, second)
          : texts.compareAt(other, texts, row);
    }

    Binary value() {
      return Binary.fromConstantByteArray(
          Arrays.copyOfRange(texts.bytes(), texts.start(row), texts.end(row)));
    }
  }
}

package yardage.core.exec;

import java.util.Arrays;
import yardage.core.column.*;

/**
 * Hashes of key columns, a column at a time; equal keys hash alike whatever their coding. Null is a
 * value here.
 */
final class Hashing {
  private static final int NULL_HASH = 0x5bd1e995;
  private static final long MULTIPLIER = 0x9E3779B97F4A7C15L;

  private Hashing() {}

  /** Mixed hashes of the key rows into {@code out[0, rows)}. */
  static void hash(Column[] keys, int rows, int[] out) {
    if (keys.length == 0) {
      Arrays.fill(out, 0, rows, 1);
      return;
    }
    for (int k = 0; k < keys.length; k++) {
      column(keys[k], rows, out, k == 0);
    }
  }

  private static void column(Column column, int rows, int[] out, boolean first) {
    if (!column.hasNulls()) {
      values(column, rows, out, first);
      return;
    }
    // What lies in the place of a null is anything: it must not count.
    int[] before = first ? null : Arrays.copyOf(out, rows);
    values(column, rows, out, first);
    for (int i = 0; i < rows; i++) {
      if (column.isNull(i)) {
        out[i] = mix(NULL_HASH ^ (first ? 0 : seed(before[i], false)));
      }
    }
  }

  private static void values(Column column, int rows, int[] out, boolean first) {
    if (column instanceof IntColumn c) {
      int[] v = c.values();
      for (int i = 0; i < rows; i++) {
        out[i] = mix(v[i] ^ seed(out[i], first));
      }
    } else if (column instanceof LongColumn c) {
      long[] v = c.values();
      for (int i = 0; i < rows; i++) {
        out[i] = mix(v[i] ^ seed(out[i], first));
      }
    } else if (column instanceof WideColumn c) {
      long[] h = c.high();
      long[] l = c.low();
      for (int i = 0; i < rows; i++) {
        out[i] = mix(mix(h[i]) + l[i] ^ seed(out[i], first));
      }
    } else if (column instanceof DoubleColumn c) {
      double[] v = c.values();
      for (int i = 0; i < rows; i++) {
        // Adding zero makes -0.0 and 0.0 one key, as they compare equal.
        out[i] = mix(Double.doubleToLongBits(v[i] + 0.0) ^ seed(out[i], first));
      }
    } else if (column instanceof BooleanColumn c) {
      byte[] v = c.values();
      for (int i = 0; i < rows; i++) {
        out[i] = mix(v[i] ^ seed(out[i], first));
      }
    } else {
      text((TextColumn) column, rows, out, first);
    }
  }

  private static void text(TextColumn column, int rows, int[] out, boolean first) {
    byte[] bytes = column.bytes();
    if (column.isDictionary()) {
      int[] offsets = column.offsets();
      int[] entries = new int[column.entryCount()];
      for (int e = 0; e < entries.length; e++) {
        entries[e] = bytes(bytes, offsets[e], offsets[e + 1]);
      }
      int[] codes = column.codes();
      for (int i = 0; i < rows; i++) {
        out[i] = mix(entries[codes[i]] ^ seed(out[i], first));
      }
    } else {
      for (int i = 0; i < rows; i++) {
        out[i] = mix(bytes(bytes, column.start(i), column.end(i)) ^ seed(out[i], first));
      }
    }
  }

  private static long seed(int hash, boolean first) {
    return first ? 0 : (hash * 31L) << 20;
  }

  static int mix(long v) {
    long h = v * MULTIPLIER;
    h ^= h >>> 32;
    h *= MULTIPLIER;
    return (int) (h >>> 32);
  }

  private static int bytes(byte[] b, int start, int end) {
    int h = end - start;
    for (int i = start; i < end; i++) {
      h = h * 31 + b[i];
    }
    return h;
  }
}

package yardage.core.insight.profile;

import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.UUID;
import java.util.function.IntFunction;
import yardage.core.column.BooleanColumn;
import yardage.core.column.Column;
import yardage.core.column.DoubleColumn;
import yardage.core.column.IntColumn;
import yardage.core.column.LongColumn;
import yardage.core.column.TextColumn;
import yardage.core.column.WideColumn;

/**
 * What one worker has seen of a column. Values are hashed a batch at a time; a text that a file
 * codes is looked at once for each batch, not for each row.
 */
final class ColumnProfiler {
  private static final long MULTIPLIER = 0x9E3779B97F4A7C15L;

  /** What is held for each column and worker, at most. */
  static final long BYTES = (long) ValueCounts.MOST * (2 * 8 * 3 + 64) + Reservoir.MOST * 64L;

  final ValueCounts counts = new ValueCounts();
  final DistinctCount distinct = new DistinctCount();
  final Reservoir some;
  long rows;
  long nulls;

  /** The smallest and largest value; null before the first. Nested values and truth have none. */
  Object smallest;

  Object largest;

  /** Texts only; lengths are in characters. */
  long blankEnds;

  long empty;
  long characters;
  int shortest = Integer.MAX_VALUE;
  int longest;

  private long[] hashes = new long[0];
  private int[] times = new int[0];

  ColumnProfiler(long seed) {
    some = new Reservoir(seed);
  }

  void see(Column column) {
    int n = column.size();
    rows += n;
    for (int r = 0; r < n; r++) {
      nulls += column.isNull(r) ? 1 : 0;
    }
    if (column.type().isNested()) {
      return;
    }
    if (column instanceof TextColumn text && text.isDictionary()) {
      coded(text);
    } else {
      hash(column);
      for (int r = 0; r < n; r++) {
        if (!column.isNull(r)) {
          count(hashes[r], 1, column::value, r);
        }
      }
      if (column instanceof TextColumn text) {
        for (int r = 0; r < n; r++) {
          if (!column.isNull(r)) {
            text(text, r, 1);
          }
        }
      }
    }
    for (int r = 0; r < n; r++) {
      if (!column.isNull(r)) {
        some.offer(column::value, r);
      }
    }
    ends(column);
  }

  private void count(long hash, long n, IntFunction<Object> value, int row) {
    counts.add(hash, n, value, row);
    distinct.add(hash);
  }

  private void coded(TextColumn column) {
    TextColumn entries = column.entries();
    int n = entries.size();
    times = times.length < n ? new int[n] : times;
    Arrays.fill(times, 0, n, 0);
    int[] codes = column.codes();
    for (int r = 0; r < column.size(); r++) {
      if (!column.isNull(r)) {
        times[codes[r]]++;
      }
    }
    hash(entries);
    for (int e = 0; e < n; e++) {
      if (times[e] > 0) {
        count(hashes[e], times[e], entries::value, e);
        text(entries, e, times[e]);
      }
    }
  }

  private void text(TextColumn column, int row, int n) {
    byte[] bytes = column.bytes();
    int start = column.start(row);
    int end = column.end(row);
    if (start == end) {
      empty += n;
    } else if (bytes[start] == ' ' || bytes[end - 1] == ' ') {
      blankEnds += n;
    }
    int length = 0;
    for (int i = start; i < end; i++) {
      // Bytes that go on with a character of UTF-8 are not counted.
      length += (bytes[i] & 0xC0) != 0x80 ? 1 : 0;
    }
    characters += (long) length * n;
    shortest = Math.min(shortest, length);
    longest = Math.max(longest, length);
  }

  private void hash(Column column) {
    int n = column.size();
    hashes = hashes.length < n ? new long[n] : hashes;
    if (column instanceof IntColumn c) {
      for (int r = 0; r < n; r++) {
        hashes[r] = mix(c.values()[r]);
      }
    } else if (column instanceof LongColumn c) {
      for (int r = 0; r < n; r++) {
        hashes[r] = mix(c.values()[r]);
      }
    } else if (column instanceof DoubleColumn c) {
      for (int r = 0; r < n; r++) {
        // Adding zero makes -0.0 and 0.0 one value, as they compare equal.
        hashes[r] = mix(Double.doubleToLongBits(c.values()[r] + 0.0));
      }
    } else if (column instanceof BooleanColumn c) {
      for (int r = 0; r < n; r++) {
        hashes[r] = mix(c.values()[r]);
      }
    } else if (column instanceof WideColumn c) {
      for (int r = 0; r < n; r++) {
        hashes[r] = mix(mix(c.high()[r]) + c.low()[r]);
      }
    } else if (column instanceof TextColumn c) {
      byte[] bytes = c.bytes();
      for (int r = 0; r < n; r++) {
        long h = c.end(r) - c.start(r);
        for (int i = c.start(r); i < c.end(r); i++) {
          h = (h ^ bytes[i] & 0xff) * 0x100000001b3L;
        }
        hashes[r] = mix(h);
      }
    }
  }

  /** Never the same for two whole numbers; all bits depend on all bits. */
  private static long mix(long v) {
    long h = (v + 1) * MULTIPLIER;
    h = (h ^ h >>> 32) * MULTIPLIER;
    h = (h ^ h >>> 29) * MULTIPLIER;
    return h ^ h >>> 32;
  }

  /** The smallest and largest row of a batch, then against what is known. */
  private void ends(Column column) {
    int least = -1;
    int most = -1;
    for (int r = 0; r < column.size(); r++) {
      if (column.isNull(r)) {
        continue;
      }
      if (least < 0) {
        least = r;
        most = r;
      } else if (compare(column, r, least) < 0) {
        least = r;
      } else if (compare(column, r, most) > 0) {
        most = r;
      }
    }
    if (least >= 0) {
      ends(column.value(least), column.value(most));
    }
  }

  private void ends(Object low, Object high) {
    smallest = smallest == null || order(low, smallest) < 0 ? low : smallest;
    largest = largest == null || order(high, largest) > 0 ? high : largest;
  }

  private static int compare(Column column, int a, int b) {
    if (column instanceof IntColumn c) {
      return Integer.compare(c.values()[a], c.values()[b]);
    } else if (column instanceof LongColumn c) {
      return Long.compare(c.values()[a], c.values()[b]);
    } else if (column instanceof DoubleColumn c) {
      return Double.compare(c.values()[a], c.values()[b]);
    } else if (column instanceof TextColumn c) {
      return c.compareAt(a, c, b);
    } else if (column instanceof WideColumn c) {
      int high = Long.compare(c.high()[a], c.high()[b]);
      return high != 0 ? high : Long.compareUnsigned(c.low()[a], c.low()[b]);
    }
    return 0;
  }

  /**
   * Texts by their bytes in UTF-8 and UUIDs by their bytes, as SQL here has it; all else by nature.
   */
  @SuppressWarnings("unchecked")
  static int order(Object a, Object b) {
    if (a instanceof UUID x && b instanceof UUID y) {
      // The platform's own order takes the first bit for a sign.
      return x.toString().compareTo(y.toString());
    }
    return a instanceof String x && b instanceof String y
        ? Arrays.compareUnsigned(
            x.getBytes(StandardCharsets.UTF_8), y.getBytes(StandardCharsets.UTF_8))
        : ((Comparable<Object>) a).compareTo(b);
  }

  /** Takes in what another worker has seen; the samples of both stay apart. */
  void add(ColumnProfiler other) {
    rows += other.rows;
    nulls += other.nulls;
    counts.add(other.counts);
    distinct.add(other.distinct);
    if (other.smallest != null) {
      ends(other.smallest, other.largest);
    }
    blankEnds += other.blankEnds;
    empty += other.empty;
    characters += other.characters;
    shortest = Math.min(shortest, other.shortest);
    longest = Math.max(longest, other.longest);
  }
}

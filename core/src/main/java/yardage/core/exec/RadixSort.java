package yardage.core.exec;

import java.util.List;
import yardage.core.column.*;

/**
 * Sorts many row numbers by several keys: of each key eight bytes that order as the values do, with
 * a radix sort from the last byte to the first (Knuth, The Art of Computer Programming, volume 3,
 * 5.2.5), then what is alike by the next bytes of the same key, or by the next key. Few rows that
 * are alike are merged. Rows that compare alike keep their order.
 */
final class RadixSort {
  /** Fewer rows are sorted sooner by merging. */
  static final int LEAST_ROWS = 512;

  /** Bytes of a text in a prefix, before the one that tells how many there were. */
  private static final int TEXT_BYTES = 7;

  private static final int DIGIT_BITS = 11;
  private static final int DIGITS = (64 + DIGIT_BITS - 1) / DIGIT_BITS;
  private static final int BUCKETS = 1 << DIGIT_BITS;

  private final RowOrder order;
  private final List<Column> columns;
  private final int[] rows;
  private final CancelToken cancel;
  private final int[] otherRows;
  private final long[] prefixes;
  private final long[] otherPrefixes;

  RadixSort(RowOrder order, List<Column> columns, int[] rows, CancelToken cancel) {
    this.order = order;
    this.columns = columns;
    this.rows = rows;
    this.cancel = cancel;
    this.otherRows = new int[rows.length];
    this.prefixes = new long[rows.length];
    this.otherPrefixes = new long[rows.length];
  }

  void sort() {
    sort(0, rows.length, 0, 0);
  }

  /**
   * Sorts {@code rows[begin, end)}, which are alike by what comes before.
   *
   * @param key the number of the key to sort by
   * @param depth how many bytes of a text are known to be alike
   */
  private void sort(int begin, int end, int key, int depth) {
    if (key == order.keyCount() || end - begin < 2) {
      return;
    }
    cancel.check();
    if (end - begin < LEAST_ROWS) {
      order.merge(columns, rows, begin, end, key, cancel);
      return;
    }
    Column column = order.key(columns, key);
    int from = begin;
    int to = end;
    if (depth == 0 && column.hasNulls()) {
      int nulls = partNulls(column, begin, end, order.areNullsFirst(key));
      if (order.areNullsFirst(key)) {
        sort(begin, begin + nulls, key + 1, 0);
        from += nulls;
      } else {
        sort(end - nulls, end, key + 1, 0);
        to -= nulls;
      }
    }
    long flip = order.isDescending(key) ? -1L : 0L;
    boolean more = prefixes(column, from, to, depth, flip);
    if (from == to) {
      return;
    }
    byDigits(from, to);
    // What is sorted further overwrites the prefixes of its own rows only, which are done with.
    int start = from;
    for (int i = from + 1; i <= to; i++) {
      if (i == to || prefixes[i] != prefixes[start]) {
        if (more && goesOn(column, depth, prefixes[start] ^ flip)) {
          sort(start, i, key, depth + TEXT_BYTES);
        } else {
          sort(start, i, key + 1, 0);
        }
        start = i;
      }
    }
  }

  /** Whether values of this prefix have more to tell them apart by. */
  private static boolean goesOn(Column column, int depth, long prefix) {
    return column instanceof WideColumn ? depth == 0 : (prefix & 0xFF) > TEXT_BYTES;
  }

  /** Moves nulls to the front or the end, in order; gives how many there are. */
  private int partNulls(Column column, int begin, int end, boolean first) {
    int nulls = 0;
    for (int i = begin; i < end; i++) {
      nulls += column.isNull(rows[i]) ? 1 : 0;
    }
    int nullAt = first ? begin : end - nulls;
    int at = first ? begin + nulls : begin;
    for (int i = begin; i < end; i++) {
      if (column.isNull(rows[i])) {
        otherRows[nullAt++] = rows[i];
      } else {
        otherRows[at++] = rows[i];
      }
    }
    System.arraycopy(otherRows, begin, rows, begin, end - begin);
    return nulls;
  }

  private boolean prefixes(Column column, int begin, int end, int depth, long flip) {
    return prefixes(column, rows, prefixes, begin, end, depth, flip);
  }

  /**
   * Fills in the prefixes of some rows: unsigned, in the order of the key; of nulls anything.
   *
   * @param flip all bits for a descending key, none for an ascending one
   * @return whether values that have the same prefix may still differ
   */
  static boolean prefixes(
      Column column, int[] rows, long[] prefixes, int begin, int end, int depth, long flip) {
    boolean more = false;
    if (column instanceof IntColumn c) {
      for (int i = begin; i < end; i++) {
        prefixes[i] = ((long) c.values()[rows[i]] ^ Long.MIN_VALUE) ^ flip;
      }
    } else if (column instanceof LongColumn c) {
      for (int i = begin; i < end; i++) {
        prefixes[i] = (c.values()[rows[i]] ^ Long.MIN_VALUE) ^ flip;
      }
    } else if (column instanceof WideColumn c) {
      for (int i = begin; i < end; i++) {
        // The high word first, as a signed number; then the low word, as an unsigned one.
        long word = depth == 0 ? c.high()[rows[i]] ^ Long.MIN_VALUE : c.low()[rows[i]];
        prefixes[i] = word ^ flip;
      }
      more = depth == 0;
    } else if (column instanceof DoubleColumn c) {
      for (int i = begin; i < end; i++) {
        // As Double.compare orders: negative zero before zero, all NaN alike and last.
        long bits = Double.doubleToLongBits(c.values()[rows[i]]);
        prefixes[i] = bits ^ (bits >> 63 | Long.MIN_VALUE) ^ flip;
      }
    } else if (column instanceof BooleanColumn c) {
      for (int i = begin; i < end; i++) {
        prefixes[i] = c.values()[rows[i]] ^ flip;
      }
    } else {
      more = texts((TextColumn) column, rows, prefixes, begin, end, depth, flip);
    }
    return more;
  }

  /** A text that has ended goes before those that go on, so its length counts as its last byte. */
  private static boolean texts(
      TextColumn c, int[] rows, long[] prefixes, int begin, int end, int depth, long flip) {
    boolean more = false;
    byte[] bytes = c.bytes();
    for (int i = begin; i < end; i++) {
      int row = rows[i];
      int at = c.start(row) + depth;
      int left = c.end(row) - at;
      long prefix = 0;
      int n = Math.min(left, TEXT_BYTES);
      for (int b = 0; b < n; b++) {
        prefix |= (bytes[at + b] & 0xFFL) << (56 - 8 * b);
      }
      // The last byte tells how many there were; one more says that the text goes on.
      prefix |= Math.min(left, TEXT_BYTES + 1);
      more |= left > TEXT_BYTES;
      prefixes[i] = prefix ^ flip;
    }
    return more;
  }

  /**
   * Sorts rows by their prefixes, from the last digit to the first; digits that are all one are
   * skipped.
   */
  private void byDigits(int begin, int end) {
    int[][] counts = new int[DIGITS][BUCKETS];
    for (int i = begin; i < end; i++) {
      long p = prefixes[i];
      for (int d = 0; d < DIGITS; d++) {
        counts[d][(int) (p >>> d * DIGIT_BITS) & BUCKETS - 1]++;
      }
    }
    long[] fromPrefixes = prefixes;
    long[] toPrefixes = otherPrefixes;
    int[] fromRows = rows;
    int[] toRows = otherRows;
    for (int d = 0; d < DIGITS; d++) {
      int[] start = counts[d];
      int shift = d * DIGIT_BITS;
      if (start[(int) (fromPrefixes[begin] >>> shift) & BUCKETS - 1] == end - begin) {
        continue;
      }
      cancel.check();
      int sum = begin;
      for (int b = 0; b < BUCKETS; b++) {
        int n = start[b];
        start[b] = sum;
        sum += n;
      }
      for (int i = begin; i < end; i++) {
        int to = start[(int) (fromPrefixes[i] >>> shift) & BUCKETS - 1]++;
        toPrefixes[to] = fromPrefixes[i];
        toRows[to] = fromRows[i];
      }
      long[] p = fromPrefixes;
      fromPrefixes = toPrefixes;
      toPrefixes = p;
      int[] r = fromRows;
      fromRows = toRows;
      toRows = r;
    }
    if (fromRows != rows) {
      System.arraycopy(fromRows, begin, rows, begin, end - begin);
      System.arraycopy(fromPrefixes, begin, prefixes, begin, end - begin);
    }
  }
}

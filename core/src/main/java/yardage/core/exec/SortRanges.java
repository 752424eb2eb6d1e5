package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.Column;

/**
 * Cuts rows that are to be sorted into ranges, each of which comes before the next whole, so that
 * each can be sorted on its own (sample sort: Frazer and McKellar, Journal of the ACM, 1970). Rows
 * are told apart by the first bytes of their first key, so equal rows are in one range, and stay in
 * the order that they have.
 */
final class SortRanges {
  /** More than one, so that workers end together although ranges are not quite alike. */
  private static final int RANGES_A_WORKER = 4;

  private static final int SAMPLES_A_RANGE = 64;

  private SortRanges() {}

  /**
   * Puts {@code rows} range by range.
   *
   * @return where each range begins, and the end of the last
   */
  static int[] cut(RowOrder order, List<Column> columns, int[] rows, ExecutionContext context) {
    Column key = order.key(columns, 0);
    long flip = order.isDescending(0) ? -1L : 0L;
    long[] prefixes = new long[rows.length];
    Parallel.ranges(
        rows.length,
        context,
        (from, to) -> RadixSort.prefixes(key, rows, prefixes, from, to, 0, flip));
    long[] splitters = splitters(prefixes, RANGES_A_WORKER * context.workers());
    // Nulls are a range of their own, before or behind all others.
    int others = splitters.length + 1;
    int ofNulls = order.areNullsFirst(0) ? 0 : others;
    int first = order.areNullsFirst(0) ? 1 : 0;
    byte[] rangeOf = new byte[rows.length];
    Parallel.ranges(
        rows.length,
        context,
        (from, to) -> {
          for (int i = from; i < to; i++) {
            rangeOf[i] =
                (byte) (key.isNull(rows[i]) ? ofNulls : first + range(splitters, prefixes[i]));
          }
        });
    int[] bounds = new int[others + 2];
    for (byte r : rangeOf) {
      bounds[r + 1]++;
    }
    for (int r = 0; r <= others; r++) {
      bounds[r + 1] += bounds[r];
    }
    int[] at = bounds.clone();
    int[] out = new int[rows.length];
    for (int i = 0; i < rows.length; i++) {
      out[at[rangeOf[i]]++] = rows[i];
    }
    System.arraycopy(out, 0, rows, 0, rows.length);
    return bounds;
  }

  /** Prefixes that cut a sample evenly, each once, in their order. */
  private static long[] splitters(long[] prefixes, int ranges) {
    // At most as many ranges as a byte can number, with one for nulls.
    int wanted = Math.min(ranges, Byte.MAX_VALUE - 1);
    long[] sample = new long[Math.min(prefixes.length, SAMPLES_A_RANGE * wanted)];
    for (int i = 0; i < sample.length; i++) {
      // Signed, so that the platform sorts them.
      sample[i] = prefixes[(int) ((long) prefixes.length * i / sample.length)] ^ Long.MIN_VALUE;
    }
    Arrays.sort(sample);
    long[] out = new long[wanted - 1];
    int n = 0;
    for (int r = 1; r < wanted; r++) {
      long splitter = sample[(int) ((long) sample.length * r / wanted)] ^ Long.MIN_VALUE;
      if (n == 0 || out[n - 1] != splitter) {
        out[n++] = splitter;
      }
    }
    return Arrays.copyOf(out, n);
  }

  /** How many splitters a prefix is not below. */
  private static int range(long[] splitters, long prefix) {
    int low = 0;
    int high = splitters.length;
    while (low < high) {
      int middle = (low + high) >>> 1;
      if (Long.compareUnsigned(prefix, splitters[middle]) < 0) {
        high = middle;
      } else {
        low = middle + 1;
      }
    }
    return low;
  }
}

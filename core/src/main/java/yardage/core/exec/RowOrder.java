package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.plan.SortKey;

/** Compares rows of columns by sort keys. */
public final class RowOrder {
  /** What sorting takes for each row beside its number. */
  static final int SORT_BYTES = 24;

  /** Fewer rows are sorted sooner by one. */
  private static final int WORTH_ALL_WORKERS = 100_000;

  /** So few rows are sorted sooner by inserting. */
  private static final int FEW = 12;

  private final int[] ordinals;
  private final boolean[] descending;
  private final boolean[] nullsFirst;

  public RowOrder(List<SortKey> keys) {
    ordinals = keys.stream().mapToInt(SortKey::ordinal).toArray();
    descending = new boolean[ordinals.length];
    nullsFirst = new boolean[ordinals.length];
    for (int i = 0; i < ordinals.length; i++) {
      descending[i] = keys.get(i).descending();
      nullsFirst[i] = keys.get(i).nullsFirst();
    }
  }

  public int compare(List<Column> a, int row, List<Column> b, int otherRow) {
    return compare(a, row, b, otherRow, 0);
  }

  /**
   * @param from the first key that counts
   */
  private int compare(List<Column> a, int row, List<Column> b, int otherRow, int from) {
    for (int k = from; k < ordinals.length; k++) {
      Column x = a.get(ordinals[k]);
      Column y = b.get(ordinals[k]);
      boolean xNull = x.isNull(row);
      boolean yNull = y.isNull(otherRow);
      if (xNull || yNull) {
        if (xNull != yNull) {
          return xNull == nullsFirst[k] ? -1 : 1;
        }
        continue;
      }
      int c = Values.compare(x, row, y, otherRow);
      if (c != 0) {
        return descending[k] ? -c : c;
      }
    }
    return 0;
  }

  /** As {@link #sort(List, int[], CancelToken)}, for so many rows that nobody need stop it. */
  public void sort(List<Column> columns, int[] rows) {
    sort(columns, rows, new CancelToken());
  }

  /**
   * Sorts row numbers, keeping the order of equals. Takes up to {@link #SORT_BYTES} for each row
   * beside.
   */
  void sort(List<Column> columns, int[] rows, CancelToken cancel) {
    if (rows.length < RadixSort.LEAST_ROWS) {
      merge(columns, rows, 0, rows.length, 0, cancel);
    } else {
      new RadixSort(this, columns, rows, cancel).sort();
    }
  }

  /** As {@link #sort(List, int[], CancelToken)}, with all workers. */
  void sort(List<Column> columns, int[] rows, ExecutionContext context) {
    if (context.workers() == 1 || rows.length < WORTH_ALL_WORKERS) {
      sort(columns, rows, context.cancel());
      return;
    }
    int[] bounds = SortRanges.cut(this, columns, rows, context);
    Parallel.forEach(
        IntStream.range(0, bounds.length - 1).boxed().toList(),
        context,
        r -> {
          int[] range = Arrays.copyOfRange(rows, bounds[r], bounds[r + 1]);
          sort(columns, range, context.cancel());
          System.arraycopy(range, 0, rows, bounds[r], range.length);
        });
  }

  int keyCount() {
    return ordinals.length;
  }

  Column key(List<Column> columns, int key) {
    return columns.get(ordinals[key]);
  }

  boolean isDescending(int key) {
    return descending[key];
  }

  boolean areNullsFirst(int key) {
    return nullsFirst[key];
  }

  /**
   * Sorts {@code rows[begin, end)} by inserting few and by a bottom-up merge of many.
   *
   * @param key the first key that counts
   */
  void merge(List<Column> columns, int[] rows, int begin, int end, int key, CancelToken cancel) {
    int n = end - begin;
    if (n <= FEW) {
      for (int i = begin + 1; i < end; i++) {
        int row = rows[i];
        int at = i;
        while (at > begin && compare(columns, rows[at - 1], columns, row, key) > 0) {
          rows[at] = rows[--at];
        }
        rows[at] = row;
      }
      return;
    }
    int[] from = Arrays.copyOfRange(rows, begin, end);
    int[] to = new int[n];
    for (int width = 1;
        width < n;
        width = (int) Math.min((long) width * 2, Integer.MAX_VALUE / 2)) {
      cancel.check();
      for (long start = 0; start < n; start += 2L * width) {
        int mid = (int) Math.min(start + width, n);
        int last = (int) Math.min(start + 2L * width, n);
        int i = (int) start;
        int j = mid;
        if (mid >= last || compare(columns, from[mid - 1], columns, from[mid], key) <= 0) {
          System.arraycopy(from, i, to, i, last - i);
          continue;
        }
        for (int k = (int) start; k < last; k++) {
          to[k] =
              j >= last || (i < mid && compare(columns, from[i], columns, from[j], key) <= 0)
                  ? from[i++]
                  : from[j++];
        }
      }
      int[] swap = from;
      from = to;
      to = swap;
    }
    System.arraycopy(from, 0, rows, begin, n);
  }
}

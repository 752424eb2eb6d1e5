package yardage.core.exec;

import java.util.List;
import yardage.core.column.*;

/** Compares rows of columns by sort keys. */
public final class RowOrder {
  private final int[] ordinals;
  private final boolean[] descending;
  private final boolean[] nullsFirst;

  public RowOrder(List<PhysicalNode.SortKey> keys) {
    ordinals = keys.stream().mapToInt(PhysicalNode.SortKey::ordinal).toArray();
    descending = new boolean[ordinals.length];
    nullsFirst = new boolean[ordinals.length];
    for (int i = 0; i < ordinals.length; i++) {
      descending[i] = keys.get(i).descending();
      nullsFirst[i] = keys.get(i).nullsFirst();
    }
  }

  int compare(List<Column> a, int row, List<Column> b, int otherRow) {
    for (int k = 0; k < ordinals.length; k++) {
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
      int c = compareValues(x, row, y, otherRow);
      if (c != 0) {
        return descending[k] ? -c : c;
      }
    }
    return 0;
  }

  static int compareValues(Column a, int row, Column b, int otherRow) {
    if (a instanceof IntColumn x) {
      return Integer.compare(x.values()[row], ((IntColumn) b).values()[otherRow]);
    } else if (a instanceof LongColumn x) {
      return Long.compare(x.values()[row], ((LongColumn) b).values()[otherRow]);
    } else if (a instanceof DoubleColumn x) {
      return Double.compare(x.values()[row], ((DoubleColumn) b).values()[otherRow]);
    } else if (a instanceof BooleanColumn x) {
      return Byte.compare(x.values()[row], ((BooleanColumn) b).values()[otherRow]);
    }
    return ((TextColumn) a).compareAt(row, (TextColumn) b, otherRow);
  }

  /** As {@link #sort(List, int[], CancelToken)}, for so many rows that nobody need stop it. */
  public void sort(List<Column> columns, int[] rows) {
    sort(columns, rows, new CancelToken());
  }

  /** Sorts row numbers, keeping the order of equals: a bottom-up merge sort without boxing. */
  void sort(List<Column> columns, int[] rows, CancelToken cancel) {
    int n = rows.length;
    int[] from = rows;
    int[] to = new int[n];
    for (int width = 1;
        width < n;
        width = (int) Math.min((long) width * 2, Integer.MAX_VALUE / 2)) {
      cancel.check();
      for (long start = 0; start < n; start += 2L * width) {
        int mid = (int) Math.min(start + width, n);
        int end = (int) Math.min(start + 2L * width, n);
        int i = (int) start;
        int j = mid;
        if (mid >= end || compare(columns, from[mid - 1], columns, from[mid]) <= 0) {
          System.arraycopy(from, i, to, i, end - i);
          continue;
        }
        for (int k = (int) start; k < end; k++) {
          to[k] =
              j >= end || (i < mid && compare(columns, from[i], columns, from[j]) <= 0)
                  ? from[i++]
                  : from[j++];
        }
      }
      int[] swap = from;
      from = to;
      to = swap;
    }
    if (from != rows) {
      System.arraycopy(from, 0, rows, 0, n);
    }
  }
}

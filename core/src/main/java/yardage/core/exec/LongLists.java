package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;

/**
 * Cuts what is known of groups so that no row holds more values than fit a frame: a group with many
 * goes on in further rows, in which all else is as of a group that nothing is known of.
 */
final class LongLists {
  /** Of one list. */
  private static final int MOST_VALUES = 4096;

  /** Of the rows of one frame together. */
  private static final int MOST_IN_FRAME = 1 << 14;

  private LongLists() {}

  /**
   * @param columns of the groups
   * @param nothing for each column its value, as one row, where nothing is known; the column itself
   *     is given where it stays as it is (a key), and none where it is a list to be cut
   */
  static Batch cut(List<Column> columns, int groups, List<List<Column>> nothing) {
    int[] pieces = new int[groups];
    Arrays.fill(pieces, 1);
    for (int c = 0; c < columns.size(); c++) {
      for (int g = 0; nothing.get(c).isEmpty() && g < groups; g++) {
        int more = (length(columns.get(c), g) + MOST_VALUES - 1) / MOST_VALUES;
        pieces[g] = Math.max(pieces[g], more);
      }
    }
    int rows = Arrays.stream(pieces).sum();
    if (rows == groups) {
      return new Batch(columns, groups, 0);
    }
    int[] owner = new int[rows];
    int[] known = new int[rows];
    int[] piece = new int[rows];
    for (int g = 0, r = 0; g < groups; g++) {
      for (int p = 0; p < pieces[g]; p++, r++) {
        owner[r] = g;
        piece[r] = p;
        known[r] = p == 0 ? g : groups;
      }
    }
    List<Column> out = new ArrayList<>();
    for (int c = 0; c < columns.size(); c++) {
      Column column = columns.get(c);
      List<Column> of = nothing.get(c);
      if (of.isEmpty()) {
        out.add(pieces((ListColumn) column, owner, piece));
      } else if (of.get(0) == column) {
        out.add(column.gather(owner, rows));
      } else {
        out.add(
            ColumnBuilder.concat(column.type(), List.of(column, of.get(0))).gather(known, rows));
      }
    }
    return new Batch(out, rows, 0);
  }

  private static int length(Column lists, int row) {
    int[] offsets = ((ListColumn) lists).offsets();
    return offsets[row + 1] - offsets[row];
  }

  /** The elements stay where they are. */
  private static ListColumn pieces(ListColumn lists, int[] owner, int[] piece) {
    int[] offsets = new int[owner.length + 1];
    for (int r = 0; r < owner.length; r++) {
      int end = lists.offsets()[owner[r] + 1];
      long reached = lists.offsets()[owner[r]] + (piece[r] + 1L) * MOST_VALUES;
      offsets[r + 1] = (int) Math.min(end, reached);
    }
    return new ListColumn(lists.type(), offsets, lists.elements(), null, owner.length);
  }

  /**
   * How many of some rows fit a frame, at least one.
   *
   * @param from the first of them
   */
  static int fit(Batch groups, int[] rows, int from) {
    int values = 0;
    int to = from;
    while (to < rows.length && to - from < Batch.TARGET_ROWS && values < MOST_IN_FRAME) {
      for (Column column : groups.columns()) {
        values += column instanceof ListColumn ? length(column, rows[to]) : 0;
      }
      to++;
    }
    return to - from;
  }
}

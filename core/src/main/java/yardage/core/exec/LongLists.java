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
   * What an aggregate knows of groups.
   *
   * @param nothing the same columns with one row, where nothing is known; none where these are
   *     lists to be cut
   */
  record Known(List<Column> state, List<Column> nothing) {
    private boolean isCut() {
      return nothing.isEmpty();
    }
  }

  /** The keys of groups, and behind them all that is known. */
  static Batch cut(List<Column> keys, int groups, List<Known> known) {
    int[] pieces = new int[groups];
    Arrays.fill(pieces, 1);
    for (Known k : known) {
      for (int g = 0; k.isCut() && g < groups; g++) {
        int more = (length(k.state().get(0), g) + MOST_VALUES - 1) / MOST_VALUES;
        pieces[g] = Math.max(pieces[g], more);
      }
    }
    int rows = Arrays.stream(pieces).sum();
    List<Column> out = new ArrayList<>(keys);
    if (rows == groups) {
      known.forEach(k -> out.addAll(k.state()));
      return new Batch(out, groups, 0);
    }
    int[] owner = new int[rows];
    int[] orNothing = new int[rows];
    int[] piece = new int[rows];
    for (int g = 0, r = 0; g < groups; g++) {
      for (int p = 0; p < pieces[g]; p++, r++) {
        owner[r] = g;
        piece[r] = p;
        orNothing[r] = p == 0 ? g : groups;
      }
    }
    out.replaceAll(key -> key.gather(owner, rows));
    for (Known k : known) {
      for (int c = 0; c < k.state().size(); c++) {
        Column column = k.state().get(c);
        out.add(
            k.isCut()
                ? pieces((ListColumn) column, owner, piece)
                : ColumnBuilder.concat(column.type(), List.of(column, k.nothing().get(c)))
                    .gather(orNothing, rows));
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
   * Where a frame of some rows ends, which has at least one.
   *
   * @param from the first of them
   * @param most where it ends at the latest
   */
  static int end(Batch groups, int[] rows, int from, int most) {
    int values = 0;
    int to = from;
    while (to < most && to - from < Batch.TARGET_ROWS && values < MOST_IN_FRAME) {
      for (Column column : groups.columns()) {
        values += column instanceof ListColumn ? length(column, rows[to]) : 0;
      }
      to++;
    }
    return to;
  }
}

package yardage.core.step;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.Bits;
import yardage.core.column.Column;
import yardage.core.column.IntColumn;
import yardage.core.column.ListColumn;
import yardage.core.column.StructColumn;
import yardage.core.column.Type;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.RowStep;
import yardage.core.exec.StepTally;

/**
 * A row for each element of a list, or each entry of a map. The list's column goes; the element, or
 * the fields of elements that are structs, come at the end.
 *
 * @param keepEmpty whether a row whose list is null or empty comes out once, with nulls
 * @param position whether a last column counts the elements from 1
 */
public record UnnestStep(int column, boolean keepEmpty, boolean position) implements RowStep {

  @Override
  public BatchConsumer bind(StepTally tally, BatchConsumer next) {
    return batch -> {
      ListColumn list = (ListColumn) batch.column(column);
      int total = 0;
      int dropped = 0;
      for (int r = 0; r < batch.rowCount(); r++) {
        int n = list.isNull(r) ? 0 : list.length(r);
        total += n == 0 && keepEmpty ? 1 : n;
        dropped += n == 0 && !keepEmpty ? 1 : 0;
      }
      int[] rows = new int[total];
      int[] elements = new int[total];
      int[] places = new int[total];
      int at = 0;
      for (int r = 0; r < batch.rowCount(); r++) {
        int n = list.isNull(r) ? 0 : list.length(r);
        for (int i = 0; i < n; i++) {
          rows[at] = r;
          elements[at] = list.offsets()[r] + i;
          places[at++] = i + 1;
        }
        if (n == 0 && keepEmpty) {
          rows[at] = r;
          elements[at++] = -1;
        }
      }
      tally.filtered.add(dropped);
      tally.multiplied.add((long) total - (batch.rowCount() - dropped));
      if (total > 0) {
        give(batch, list, rows, elements, places, next);
      }
    };
  }

  private void give(
      Batch batch, ListColumn list, int[] rows, int[] elements, int[] places, BatchConsumer next) {
    // A batch keeps its size, however long the lists are.
    for (int from = 0, part = 0; from < rows.length; from += Batch.TARGET_ROWS, part++) {
      int to = Math.min(rows.length, from + Batch.TARGET_ROWS);
      int[] r = java.util.Arrays.copyOfRange(rows, from, to);
      int[] e = java.util.Arrays.copyOfRange(elements, from, to);
      List<Column> out = new ArrayList<>();
      for (int c = 0; c < batch.columns().size(); c++) {
        if (c != column) {
          out.add(batch.column(c).gather(r, r.length));
        }
      }
      Column values = list.elements().gather(e, e.length);
      if (values instanceof StructColumn struct) {
        out.addAll(flat(struct));
      } else {
        out.add(values);
      }
      if (position) {
        int[] place = java.util.Arrays.copyOfRange(places, from, to);
        long[] nulls = null;
        for (int i = 0; i < e.length; i++) {
          if (e[i] < 0) {
            nulls = nulls == null ? Bits.allocate(e.length) : nulls;
            Bits.set(nulls, i);
          }
        }
        out.add(new IntColumn(Type.INT, place, nulls, place.length));
      }
      next.accept(batch.derived(out, r, r.length));
    }
  }

  /** The fields of structs as columns; where the struct is null they are. */
  static List<Column> flat(StructColumn struct) {
    if (!struct.hasNulls()) {
      return struct.fields();
    }
    int[] rows = new int[struct.size()];
    for (int i = 0; i < rows.length; i++) {
      rows[i] = struct.isNull(i) ? -1 : i;
    }
    return struct.fields().stream().map(f -> f.gather(rows, rows.length)).toList();
  }
}

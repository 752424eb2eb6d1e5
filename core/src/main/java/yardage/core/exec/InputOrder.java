package yardage.core.exec;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Optional;
import yardage.core.column.*;
import yardage.core.exec.PhysicalNode.SortKey;

/** Puts batches together as their rows stood in the input. */
final class InputOrder {
  private static final RowOrder ORDER =
      new RowOrder(List.of(SortKey.of(0, false), SortKey.of(1, false), SortKey.of(2, false)));

  private InputOrder() {}

  /** The rows of some batches, one behind the other as the batches stand in the list. */
  static List<Column> sideBySide(List<Type> types, List<Batch> batches, CancelToken cancel) {
    List<Column> out = new ArrayList<>();
    for (int c = 0; c < types.size(); c++) {
      cancel.check();
      int ordinal = c;
      out.add(
          batches.isEmpty()
              ? ColumnBuilder.of(types.get(c)).build()
              : ColumnBuilder.concat(
                  types.get(c), batches.stream().map(b -> b.column(ordinal)).toList()));
    }
    return out;
  }

  /**
   * All rows side by side, with their places. The list of batches may be put into another order.
   */
  static Batch together(List<Type> types, List<Batch> batches, CancelToken cancel) {
    batches.sort(Comparator.comparingLong(Batch::sequence));
    int count = Math.toIntExact(batches.stream().mapToLong(Batch::rowCount).sum());
    List<Column> columns = sideBySide(types, batches, cancel);
    int[] inputs = new int[count];
    long[] sequences = new long[count];
    int[] rows = new int[count];
    boolean anew = false;
    int at = 0;
    for (Batch batch : batches) {
      Places places = batch.placesOfRows();
      int n = batch.rowCount();
      java.util.Arrays.fill(
          inputs, at, at + n, (int) (batch.sequence() >>> Batch.WITHIN_INPUT_BITS));
      System.arraycopy(places.sequences(), 0, sequences, at, n);
      System.arraycopy(places.rows(), 0, rows, at, n);
      at += n;
      anew |= batch.places().isPresent();
    }
    Batch all = new Batch(columns, count, 0, Optional.of(new Places(sequences, rows)));
    if (!anew) {
      return all;
    }
    int[] order = new int[count];
    for (int i = 0; i < count; i++) {
      order[i] = i;
    }
    ORDER.sort(
        List.of(
            new IntColumn(Type.INT, inputs, null, count),
            new LongColumn(Type.BIGINT, sequences, null, count),
            new IntColumn(Type.INT, rows, null, count)),
        order,
        cancel);
    return all.gather(order, count);
  }
}

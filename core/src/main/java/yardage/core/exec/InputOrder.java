package yardage.core.exec;

import java.util.List;
import java.util.function.IntConsumer;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.plan.SortKey;

/** Puts batches together as their rows stood in the input. */
final class InputOrder {
  private static final RowOrder ORDER =
      new RowOrder(List.of(SortKey.of(0, false), SortKey.of(1, false), SortKey.of(2, false)));

  /** Fewer rows are put together sooner by one. */
  private static final int WORTH_ALL_WORKERS = 100_000;

  private InputOrder() {}

  /** The rows of some batches, one behind the other as the batches stand in the list. */
  static List<Column> sideBySide(List<Type> types, List<Batch> batches, ExecutionContext context) {
    Column[] out = new Column[types.size()];
    IntConsumer one =
        c ->
            TextRoom.accounted(
                () ->
                    out[c] =
                        batches.isEmpty()
                            ? ColumnBuilder.of(types.get(c)).build()
                            : ColumnBuilder.concat(
                                types.get(c), batches.stream().map(b -> b.column(c)).toList()));
    long rows = batches.stream().mapToLong(Batch::rowCount).sum();
    if (rows < WORTH_ALL_WORKERS || context.workers() == 1) {
      // The parts of a join are many and small: threads for each would take longer than the rows.
      for (int c = 0; c < out.length; c++) {
        context.cancel().check();
        one.accept(c);
      }
    } else {
      Parallel.forEach(
          IntStream.range(0, out.length).boxed().toList(), context, c -> one.accept(c));
    }
    return List.of(out);
  }

  /**
   * All rows side by side, with their places. The list of batches may be put into another order.
   */
  static Batch together(List<Type> types, List<Batch> batches, ExecutionContext context) {
    batches.sort(Batch.IN_ORDER);
    int count = Math.toIntExact(batches.stream().mapToLong(Batch::rowCount).sum());
    List<Column> columns = sideBySide(types, batches, context);
    int[] inputs = new int[count];
    long[] sequences = new long[count];
    int[] rows = new int[count];
    boolean anew = false;
    int at = 0;
    for (Batch batch : batches) {
      Places places = batch.placesOfRows();
      int n = batch.rowCount();
      System.arraycopy(places.inputs(), 0, inputs, at, n);
      System.arraycopy(places.sequences(), 0, sequences, at, n);
      System.arraycopy(places.rows(), 0, rows, at, n);
      at += n;
      anew |= batch.places().isPresent();
    }
    Batch all = new Batch(columns, count, new Places(inputs, sequences, rows));
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
        context);
    return all.gather(order, count);
  }
}

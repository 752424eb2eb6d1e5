package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;

/**
 * Keeps one row per key. Rows are stored as they come, with the sequence of their batch; a key
 * remembers the place of its best row so far. Workers' winners meet at the end. Which row wins does
 * not depend on how many workers ran.
 */
final class DeduplicateSink implements Sink {
  private final PhysicalNode.Deduplicate node;
  private final ExecutionContext context;
  private final RowOrder order;
  private final List<Winners> workers = new ArrayList<>();
  private List<Column> result;

  DeduplicateSink(PhysicalNode.Deduplicate node, ExecutionContext context) {
    this.node = node;
    this.context = context;
    this.order = new RowOrder(node.order());
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    Winners winners = new Winners();
    workers.add(winners);
    return winners;
  }

  @Override
  public void finish() {
    Winners all = new Winners();
    for (Winners part : workers) {
      context.cancel().check();
      for (int b = 0; b < part.batches.size(); b++) {
        Batch kept = part.keptOf(b);
        if (kept.rowCount() > 0) {
          all.accept(kept);
        }
      }
      part.reservation.close();
    }
    List<Batch> kept = new ArrayList<>();
    for (int b = 0; b < all.batches.size(); b++) {
      kept.add(all.keptOf(b));
    }
    kept.sort(java.util.Comparator.comparingLong(Batch::sequence));
    result = new ArrayList<>();
    for (int c = 0; c < node.schema().size(); c++) {
      ColumnBuilder builder = ColumnBuilder.of(node.schema().field(c).type());
      for (Batch batch : kept) {
        builder.appendAll(batch.column(c));
      }
      result.add(builder.build());
    }
    workers.clear();
    workers.add(all);
  }

  @Override
  public void abort() {
    release();
  }

  ScanSource source() {
    return BatchStore.source(() -> result);
  }

  void release() {
    workers.forEach(w -> w.reservation.close());
    result = List.of();
  }

  /** Stored batches and, for each key, the batch and row of its best row. */
  private final class Winners implements BatchConsumer {
    private final List<Batch> batches = new ArrayList<>();
    private final KeyTable table =
        new KeyTable(
            Arrays.stream(node.keys())
                .mapToObj(k -> node.schema().field(k).type())
                .toArray(Type[]::new));
    private final MemoryPool.Reservation reservation =
        context.memory().reservation(node.tally(), "rows to deduplicate");
    private int[] bestBatch = new int[1024];
    private int[] bestRow = new int[1024];
    private int known;
    private int[] numbers = new int[Batch.TARGET_ROWS];
    private long storedBytes;

    @Override
    public void accept(Batch shared) {
      Batch batch = shared.copy();
      int rows = batch.rowCount();
      batches.add(batch);
      if (numbers.length < rows) {
        numbers = new int[rows];
      }
      table.numberOf(
          Arrays.stream(node.keys()).mapToObj(batch::column).toArray(Column[]::new), rows, numbers);
      int count = table.count();
      if (count > bestBatch.length) {
        bestBatch = Arrays.copyOf(bestBatch, Math.max(count, bestBatch.length * 2));
        bestRow = Arrays.copyOf(bestRow, bestBatch.length);
      }
      Arrays.fill(bestBatch, known, count, -1);
      int added = count - known;
      known = count;
      node.tally().merged.add(rows - added);
      int here = batches.size() - 1;
      for (int i = 0; i < rows; i++) {
        int key = numbers[i];
        if (bestBatch[key] < 0 || beats(batch, i, batches.get(bestBatch[key]), bestRow[key])) {
          bestBatch[key] = here;
          bestRow[key] = i;
        }
      }
      storedBytes += batch.sizeBytes();
      reservation.resize(storedBytes + table.sizeBytes() + 8L * bestBatch.length);
    }

    private boolean beats(Batch a, int row, Batch b, int otherRow) {
      int c = order.compare(a.columns(), row, b.columns(), otherRow);
      if (c == 0) {
        c = a == b ? Integer.compare(row, otherRow) : Long.compare(a.sequence(), b.sequence());
      }
      return node.keepLast() ? c >= 0 : c < 0;
    }

    /** The winners among the rows of batch {@code b}. */
    Batch keptOf(int b) {
      if (b == 0) {
        rowsByBatch();
      }
      Batch batch = batches.get(b);
      int[] rows = new int[batch.rowCount()];
      int n = 0;
      for (int i = startOf[b]; i < startOf[b + 1]; i++) {
        rows[n++] = winners[i];
      }
      Arrays.sort(rows, 0, n);
      return batch.gather(rows, n);
    }

    private int[] startOf;
    private int[] winners;

    /** Sorts the winners' rows by their batch, by counting. */
    private void rowsByBatch() {
      startOf = new int[batches.size() + 1];
      for (int key = 0; key < known; key++) {
        startOf[bestBatch[key] + 1]++;
      }
      for (int b = 0; b < batches.size(); b++) {
        startOf[b + 1] += startOf[b];
      }
      int[] at = startOf.clone();
      winners = new int[known];
      for (int key = 0; key < known; key++) {
        winners[at[bestBatch[key]]++] = bestRow[key];
      }
    }
  }
}

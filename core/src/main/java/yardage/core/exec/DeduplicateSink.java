package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.stream.IntStream;
import yardage.core.column.*;

/**
 * Keeps one row per key. Rows are stored as they come, with the sequence of their batch; a key
 * remembers the place of its best row so far. Which row wins does not depend on how many workers
 * ran.
 *
 * <p>Each worker looks for winners among its own rows, but gives that up where nearly every key is
 * new, since it would all be done again. What the workers have left is cut by the keys' hashes into
 * parts that meet side by side.
 */
final class DeduplicateSink implements Sink {
  /** After so many rows a worker decides whether looking for winners alone pays. */
  private static final int TRIAL_ROWS = 1 << 16;

  /** Not when more than this share of the keys was new. */
  private static final double MOSTLY_NEW = 0.7;

  /** Fewer rows than this meet in one part. */
  private static final int ONE_PART_ROWS = 1 << 15;

  private static final int MOST_EXPECTED = 1 << 22;

  private final PhysicalNode.Deduplicate node;
  private final ExecutionContext context;
  private final RowOrder order;
  private final boolean firstWins;
  private final List<Winners> workers = new ArrayList<>();
  private final MemoryPool.Reservation merging;
  private List<Column> result;

  DeduplicateSink(PhysicalNode.Deduplicate node, ExecutionContext context) {
    this.node = node;
    this.context = context;
    this.order = new RowOrder(node.order());
    this.firstWins = node.order().isEmpty() && !node.keepLast();
    this.merging = context.memory().reservation(node.tally(), "keys to deduplicate by");
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    Winners winners = new Winners();
    workers.add(winners);
    return winners;
  }

  @Override
  public void finish() {
    List<Batch> left = new ArrayList<>();
    for (Winners part : workers) {
      for (int b = 0; b < part.batches.size(); b++) {
        context.cancel().check();
        Batch kept = part.keptOf(b);
        if (kept.rowCount() > 0) {
          left.add(kept);
        }
      }
      part.forget();
    }
    left.sort(Comparator.comparingLong(Batch::sequence));
    long rows = left.stream().mapToLong(Batch::rowCount).sum();
    if (workers.size() > 1 || workers.stream().anyMatch(w -> w.passing)) {
      left = met(left, rows, rows < ONE_PART_ROWS ? 1 : 4 * context.workers());
      node.tally().merged.add(rows - left.stream().mapToLong(Batch::rowCount).sum());
    }
    List<Batch> kept = left;
    result = new ArrayList<>();
    for (int c = 0; c < node.schema().size(); c++) {
      ColumnBuilder builder = ColumnBuilder.of(node.schema().field(c).type());
      for (Batch batch : kept) {
        builder.appendAll(batch.column(c));
      }
      result.add(builder.build());
    }
    merging.resize(result.stream().mapToLong(Column::sizeBytes).sum());
    workers.forEach(w -> w.reservation.close());
  }

  /** The winners among what all workers have left, in order. */
  private List<Batch> met(List<Batch> left, long rows, int parts) {
    int[][] partOf = new int[left.size()][];
    Parallel.forEach(
        IntStream.range(0, left.size()).boxed().toList(),
        context,
        b -> {
          Batch batch = left.get(b);
          int[] hashes = new int[batch.rowCount()];
          Hashing.hash(keys(batch), hashes.length, hashes);
          for (int i = 0; i < hashes.length; i++) {
            // The upper bits: the key table takes the lower ones.
            hashes[i] = (int) ((hashes[i] & 0xFFFFFFFFL) * parts >>> 32);
          }
          partOf[b] = hashes;
        });
    boolean[][] wins = new boolean[left.size()][];
    for (int b = 0; b < wins.length; b++) {
      wins[b] = new boolean[left.get(b).rowCount()];
    }
    Parallel.forEach(
        IntStream.range(0, parts).boxed().toList(),
        context,
        part -> {
          Meeting meeting = new Meeting(left);
          // What workers have left is mostly distinct.
          meeting.table.expect((int) Math.min(MOST_EXPECTED, rows / parts));
          for (int b = 0; b < partOf.length; b++) {
            meeting.add(b, partOf[b], part);
          }
          meeting.mark(wins);
        });
    List<Batch> out = new ArrayList<>();
    for (int b = 0; b < wins.length; b++) {
      boolean[] w = wins[b];
      int[] kept = new int[w.length];
      int n = 0;
      for (int i = 0; i < w.length; i++) {
        kept[n] = i;
        n += w[i] ? 1 : 0;
      }
      if (n > 0) {
        out.add(n == w.length ? left.get(b) : left.get(b).gather(kept, n));
      }
    }
    return out;
  }

  private Column[] keys(Batch batch) {
    return Arrays.stream(node.keys()).mapToObj(batch::column).toArray(Column[]::new);
  }

  private KeyTable keyTable() {
    return new KeyTable(
        Arrays.stream(node.keys())
            .mapToObj(k -> node.schema().field(k).type())
            .toArray(Type[]::new));
  }

  private boolean beats(Batch a, int row, Batch b, int otherRow) {
    int c = order.compare(a.columns(), row, b.columns(), otherRow);
    if (c == 0) {
      c = a == b ? Integer.compare(row, otherRow) : Long.compare(a.sequence(), b.sequence());
    }
    return node.keepLast() ? c >= 0 : c < 0;
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
    merging.close();
    result = List.of();
  }

  /** For each key, the batch and row of its best row so far. */
  private abstract class Best {
    final KeyTable table = keyTable();
    int[] bestBatch = new int[1024];
    int[] bestRow = new int[1024];
    int known;

    /** Makes room for keys that are new; returns how many are. */
    int grow() {
      int count = table.count();
      if (count > bestBatch.length) {
        bestBatch = Arrays.copyOf(bestBatch, Math.max(count, bestBatch.length * 2));
        bestRow = Arrays.copyOf(bestRow, bestBatch.length);
      }
      Arrays.fill(bestBatch, known, count, -1);
      int added = count - known;
      known = count;
      return added;
    }

    void offer(List<Batch> batches, int key, int b, int row) {
      if (bestBatch[key] < 0
          || beats(batches.get(b), row, batches.get(bestBatch[key]), bestRow[key])) {
        bestBatch[key] = b;
        bestRow[key] = row;
      }
    }
  }

  /** The rows of one part. */
  private final class Meeting extends Best {
    private final List<Batch> batches;
    private int[] rows = new int[Batch.TARGET_ROWS];
    private int[] numbers = new int[Batch.TARGET_ROWS];
    private long reserved;

    Meeting(List<Batch> batches) {
      this.batches = batches;
    }

    void add(int b, int[] partOf, int part) {
      context.cancel().check();
      if (rows.length < partOf.length) {
        rows = new int[partOf.length];
        numbers = new int[partOf.length];
      }
      int n = 0;
      for (int i = 0; i < partOf.length; i++) {
        rows[n] = i;
        n += partOf[i] == part ? 1 : 0;
      }
      Column[] keys = keys(batches.get(b));
      for (int k = 0; k < keys.length; k++) {
        keys[k] = keys[k].gather(rows, n);
      }
      table.numberOf(keys, n, numbers);
      int old = known;
      grow();
      if (firstWins) {
        // Batches come in order, so only keys that are new have a winner here: no need to look
        // the others up all over memory.
        for (int i = 0; i < n; i++) {
          if (numbers[i] >= old && bestBatch[numbers[i]] < 0) {
            bestBatch[numbers[i]] = b;
            bestRow[numbers[i]] = rows[i];
          }
        }
      } else {
        for (int i = 0; i < n; i++) {
          offer(batches, numbers[i], b, rows[i]);
        }
      }
      long now = table.sizeBytes() + 8L * bestBatch.length;
      if (now > reserved) {
        merging.grow(now - reserved);
        reserved = now;
      }
    }

    void mark(boolean[][] wins) {
      for (int key = 0; key < known; key++) {
        wins[bestBatch[key]][bestRow[key]] = true;
      }
      merging.grow(-reserved);
    }
  }

  /** A worker's batches, and the winners among its rows. */
  private final class Winners extends Best implements BatchConsumer {
    private final List<Batch> batches = new ArrayList<>();
    private final MemoryPool.Reservation reservation =
        context.memory().reservation(node.tally(), "rows to deduplicate");
    private int[] numbers = new int[Batch.TARGET_ROWS];
    private long storedBytes;
    private long rowsSeen;

    /** Whether rows are stored without looking, from batch {@link #passingFrom} on. */
    private boolean passing;

    private int passingFrom;

    @Override
    public void accept(Batch shared) {
      Batch batch = shared.copy();
      int rows = batch.rowCount();
      batches.add(batch);
      storedBytes += batch.sizeBytes();
      if (!passing) {
        if (numbers.length < rows) {
          numbers = new int[rows];
        }
        table.numberOf(keys(batch), rows, numbers);
        node.tally().merged.add(rows - grow());
        for (int i = 0; i < rows; i++) {
          offer(batches, numbers[i], batches.size() - 1, i);
        }
        rowsSeen += rows;
        if (rowsSeen >= TRIAL_ROWS && known > rowsSeen * MOSTLY_NEW) {
          passing = true;
          passingFrom = batches.size();
        }
      }
      reservation.resize(storedBytes + table.sizeBytes() + 8L * bestBatch.length);
    }

    /** The winners among the rows of batch {@code b}. */
    Batch keptOf(int b) {
      if (passing && b >= passingFrom) {
        return batches.get(b);
      }
      if (b == 0) {
        rowsByBatch();
      }
      Batch batch = batches.get(b);
      int[] rows = Arrays.copyOfRange(winners, startOf[b], startOf[b + 1]);
      Arrays.sort(rows);
      return batch.gather(rows, rows.length);
    }

    /** What was handed on is not kept here; its bytes stay reserved until the end. */
    void forget() {
      batches.clear();
      winners = null;
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

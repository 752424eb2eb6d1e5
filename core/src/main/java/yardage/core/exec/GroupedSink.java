package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.*;
import yardage.core.plan.SortSpec;
import yardage.core.plan.WholeSpec;

/**
 * Sorts rows by the key of a {@link GroupedStep}, in memory or by runs on disk, and gives the step
 * some whole groups at a time.
 */
final class GroupedSink implements Holding {
  private static final int CHUNK_ROWS = 16 * Batch.TARGET_ROWS;

  /** Rows as they are read, side by side, and what the step makes of them. */
  private static final int COPIES = 3;

  private final WholeSpec spec;
  private final GroupedStep step;
  private final StepTally tally;
  private final ExecutionContext context;
  private final List<Type> types;
  private final RowOrder order;
  private final SortSink sorted;
  private final GroupedStep.Pass pass;

  GroupedSink(WholeSpec spec, GroupedStep step, StepTally tally, ExecutionContext context) {
    this.spec = spec;
    this.step = step;
    this.tally = tally;
    this.context = context;
    types = spec.input().types();
    order = new RowOrder(step.order());
    sorted =
        new SortSink(new SortSpec(spec.step(), step.order(), 0, -1, spec.input()), tally, context);
    pass = step.pass(tally, context);
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    BatchConsumer to = sorted.consumer(worker);
    return batch -> {
      pass.see(batch);
      to.accept(batch);
    };
  }

  @Override
  public void finish() {
    sorted.finish();
  }

  @Override
  public void abort() {
    sorted.abort();
  }

  @Override
  public ScanSource source() {
    return () ->
        List.of(
            (worker, out) -> {
              try (Chunk chunk = new Chunk(out)) {
                chunk.give(pass.start());
                for (ScanSource.Split split : sorted.source().splits()) {
                  split.read(worker, chunk);
                }
                chunk.takeGroups(true);
                pass.end();
              }
            });
  }

  @Override
  public void release() {
    sorted.release();
  }

  /** The rows that were read and not yet given to the step. */
  private final class Chunk implements BatchConsumer, AutoCloseable {
    private final BatchConsumer out;
    private final List<Batch> batches = new ArrayList<>();
    private final MemoryPool.Reservation claim =
        context.memory().reservation(tally, spec.purpose());
    private int wanted = CHUNK_ROWS;
    private int rows;
    private long bytes;
    private long sequence;

    Chunk(BatchConsumer out) {
      this.out = out;
    }

    @Override
    public void accept(Batch batch) {
      add(batch);
      if (!claim.tryShare(needed()) || rows >= wanted) {
        takeGroups(false);
      }
    }

    private void add(Batch batch) {
      batches.add(batch);
      rows += batch.rowCount();
      bytes += batch.sizeBytes();
    }

    private long needed() {
      return COPIES * bytes + step.bytesPerRow() * rows;
    }

    /**
     * Gives the groups that are whole to the step.
     *
     * @param last whether the last one is
     */
    void takeGroups(boolean last) {
      context.cancel().check();
      claim.resize(needed());
      List<Column> all = InputOrder.sideBySide(types, batches, context);
      int end = last ? rows : lastStart(all);
      if (end == 0) {
        // A group that is larger than a chunk: it is looked at again when there is twice as much.
        wanted = 2 * Math.max(rows, CHUNK_ROWS);
        return;
      }
      int count = rows;
      batches.clear();
      rows = 0;
      bytes = 0;
      wanted = CHUNK_ROWS;
      give(pass.groups(BatchStore.slice(all, 0, end, 0).columns()));
      if (end < count) {
        add(BatchStore.slice(all, end, count, 0).kept());
      }
      claim.resize(needed());
    }

    /** Where the group of the last row begins. */
    private int lastStart(List<Column> all) {
      int at = Math.max(0, rows - 1);
      while (at > 0 && order.compare(all, at - 1, all, at) == 0) {
        at--;
      }
      return at;
    }

    void give(List<Column> columns) {
      int count = columns.get(0).size();
      for (int from = 0; from < count; from += Batch.TARGET_ROWS) {
        int to = Math.min(count, from + Batch.TARGET_ROWS);
        out.accept(BatchStore.slice(columns, from, to, sequence++));
      }
    }

    @Override
    public void close() {
      claim.close();
    }
  }
}

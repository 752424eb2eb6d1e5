package yardage.core.exec;

import java.util.List;
import java.util.concurrent.atomic.LongAdder;

/** How far the sources of some work have been read. Thread-safe; live. */
public final class Progress {
  private final LongAdder rows = new LongAdder();
  private final LongAdder partsRead = new LongAdder();
  private final LongAdder parts = new LongAdder();

  /**
   * @param rows read from tables and files
   * @param partsRead of tables and files; what was skipped is none
   * @param parts that are to be read by the stages that have begun; those that follow add theirs
   */
  public record Read(long rows, long partsRead, long parts) {}

  public Read read() {
    // In this order, so that no more is read than there is.
    long done = partsRead.sum();
    return new Read(rows.sum(), done, parts.sum());
  }

  /** The same source, whose reading counts here: once for each part and batch. */
  ScanSource of(ScanSource source) {
    return new ScanSource() {
      @Override
      public List<Split> splits() {
        List<Split> splits = source.splits();
        parts.add(splits.size());
        return splits.stream().<Split>map(Counted::new).toList();
      }

      @Override
      public int inputs() {
        return source.inputs();
      }
    };
  }

  private final class Counted implements ScanSource.Split {
    private final ScanSource.Split split;

    Counted(ScanSource.Split split) {
      this.split = split;
    }

    @Override
    public void read(Worker worker, BatchConsumer out) {
      split.read(
          worker,
          batch -> {
            rows.add(batch.rowCount());
            out.accept(batch);
          });
      partsRead.increment();
    }

    @Override
    public long place() {
      return split.place();
    }
  }
}

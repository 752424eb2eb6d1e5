package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.*;

/**
 * Keeps all rows as they came, for several readers: as they are while there is memory, then in an
 * exchange.
 */
final class SpoolSink implements Holding, MemoryPool.Holder {
  /** So many batches make a part to read. */
  private static final int SPLIT_BATCHES = 16;

  private final List<Type> types;
  private final ExecutionContext context;
  private final StepTally tally;
  private final MemoryPool.Reservation reservation;
  private final List<Batch> batches = new ArrayList<>();
  private Exchange spilled;
  private volatile long bytes;
  private volatile int inputs = 1;

  SpoolSink(Schema schema, StepTally tally, ExecutionContext context) {
    this.types = schema.types();
    this.context = context;
    this.tally = tally;
    this.reservation = context.memory().reservation(tally, "rows that several steps read");
    context.memory().add(this);
  }

  @Override
  public long heldBytes() {
    return bytes;
  }

  @Override
  public synchronized void giveBack() {
    if (spilled == null && bytes > 0) {
      spill();
    }
  }

  @Override
  public BatchConsumer consumer(Worker worker) {
    return batch -> {
      Exchange to;
      int last = batch.inputs();
      synchronized (this) {
        inputs = Math.max(inputs, last);
        if (spilled == null) {
          Batch kept = batch.kept();
          if (reservation.tryHold(bytes + kept.sizeBytes())) {
            bytes += kept.sizeBytes();
            batches.add(kept);
            return;
          }
          spill();
        }
        to = spilled;
      }
      to.add(0, batch);
    };
  }

  private void spill() {
    spilled = new Exchange(1, types, context, tally, "rows that several steps read");
    batches.forEach(b -> spilled.add(0, b));
    batches.clear();
    bytes = 0;
    reservation.resize(0);
  }

  @Override
  public synchronized void finish() {
    if (spilled == null) {
      batches.sort(Batch.IN_ORDER);
    } else {
      spilled.sortBySequence(0);
    }
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    return new ScanSource() {
      @Override
      public List<Split> splits() {
        return SpoolSink.this.splits();
      }

      @Override
      public int inputs() {
        return inputs;
      }
    };
  }

  /** A batch by its place among all; the same whether or not they were given back meanwhile. */
  private Batch batch(int ordinal) {
    Exchange from;
    synchronized (this) {
      if (spilled == null) {
        return batches.get(ordinal);
      }
      from = spilled;
    }
    return from.frame(0, ordinal);
  }

  private synchronized List<ScanSource.Split> splits() {
    int count = spilled == null ? batches.size() : spilled.frames(0);
    List<ScanSource.Split> out = new ArrayList<>();
    for (int start = 0; start < count; start += SPLIT_BATCHES) {
      int from = start;
      int to = Math.min(count, start + SPLIT_BATCHES);
      out.add(
          (worker, next) -> {
            for (int b = from; b < to; b++) {
              next.accept(batch(b).withSequence(b - from));
            }
          });
    }
    return out;
  }

  @Override
  public synchronized void release() {
    context.memory().remove(this);
    batches.clear();
    bytes = 0;
    reservation.close();
    if (spilled != null) {
      spilled.close();
    }
  }
}

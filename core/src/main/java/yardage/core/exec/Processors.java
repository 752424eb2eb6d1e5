package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.locks.Condition;
import java.util.concurrent.locks.ReentrantLock;

/**
 * Processors that all runs share. A worker computes only while it has one; at the borders between
 * batches it makes way when others wait and its slice is over. The next one is a worker of the run
 * that has had the least time (fair queueing by virtual time, as in stride scheduling: Waldspurger
 * and Weihl, 1995), so that a run with many stages gets no more than one with few.
 *
 * <p>Who waits for something else, such as memory that another worker may give back, does not keep
 * its processor meanwhile. A worker that waits in vain for a second goes on without one: the share
 * of a run is what this is about, and never whether it goes on.
 */
public final class Processors {
  /** Those of this machine. */
  public static final Processors SHARED =
      new Processors(Runtime.getRuntime().availableProcessors());

  private static final long SLICE_NANOS = 10_000_000;
  private static final long LONGEST_WAIT_NANOS = 1_000_000_000;
  private static final ThreadLocal<Turn> CURRENT = new ThreadLocal<>();

  private final ReentrantLock lock = new ReentrantLock();
  private final List<Waiter> waiting = new ArrayList<>();
  private int free;
  private long virtualNanos;

  /** Read by workers at every batch, without the lock. */
  private volatile boolean wanted;

  public Processors(int count) {
    if (count < 1) {
      throw new IllegalArgumentException("Invalid number of processors: %d".formatted(count));
    }
    this.free = count;
  }

  /** What a run has had of the processors. */
  public final class Share {
    private long usedNanos;

    private Share() {}

    /** Gives the calling thread a processor, or waits for one. */
    Turn take() {
      Turn turn = new Turn(this);
      turn.begin();
      CURRENT.set(turn);
      return turn;
    }
  }

  private static final class Waiter {
    private final Share share;
    private final Condition granted;
    private boolean has;

    Waiter(Share share, Condition granted) {
      this.share = share;
      this.granted = granted;
    }
  }

  public Share share() {
    return new Share();
  }

  /** A thread's time on a processor. Used by that thread alone. */
  final class Turn implements AutoCloseable {
    private final Share share;
    private boolean has;
    private long since;

    private Turn(Share share) {
      this.share = share;
    }

    private void begin() {
      lock.lock();
      try {
        // Who was away does not come back with all the time that it has not used.
        share.usedNanos = Math.max(share.usedNanos, virtualNanos);
        if (free > 0) {
          free--;
          has = true;
        } else {
          has = await();
        }
      } finally {
        lock.unlock();
      }
      since = System.nanoTime();
    }

    private boolean await() {
      Waiter waiter = new Waiter(share, lock.newCondition());
      waiting.add(waiter);
      wanted = true;
      long left = LONGEST_WAIT_NANOS;
      boolean interrupted = false;
      while (!waiter.has && left > 0) {
        try {
          left = waiter.granted.awaitNanos(left);
        } catch (InterruptedException e) {
          interrupted = true;
        }
      }
      if (interrupted) {
        Thread.currentThread().interrupt();
      }
      if (!waiter.has) {
        waiting.remove(waiter);
        wanted = !waiting.isEmpty();
      }
      return waiter.has;
    }

    private void end() {
      lock.lock();
      try {
        share.usedNanos += System.nanoTime() - since;
        if (has) {
          has = false;
          give();
        }
      } finally {
        lock.unlock();
      }
    }

    /** Makes way if others wait and this has had its slice. */
    void border() {
      if (wanted && System.nanoTime() - since >= SLICE_NANOS) {
        end();
        begin();
      }
    }

    @Override
    public void close() {
      CURRENT.remove();
      end();
    }
  }

  /** Hands a processor to whoever's run has had the least. Needs the lock. */
  private void give() {
    Waiter next = null;
    for (Waiter w : waiting) {
      if (next == null || w.share.usedNanos < next.share.usedNanos) {
        next = w;
      }
    }
    if (next == null) {
      free++;
      return;
    }
    virtualNanos = Math.max(virtualNanos, next.share.usedNanos);
    waiting.remove(next);
    wanted = !waiting.isEmpty();
    next.has = true;
    next.granted.signal();
  }

  /** Whether the calling thread is a worker of some stage. */
  static boolean isWorker() {
    return CURRENT.get() != null;
  }

  /** Does something that is not computing, such as waiting, without a processor. */
  public static void away(Runnable work) {
    Turn turn = CURRENT.get();
    if (turn == null) {
      work.run();
      return;
    }
    turn.end();
    try {
      work.run();
    } finally {
      turn.begin();
    }
  }
}

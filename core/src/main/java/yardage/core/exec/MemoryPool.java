package yardage.core.exec;

import java.util.concurrent.atomic.AtomicLong;

/**
 * A budget of bytes that growing operators reserve from, before they allocate. A pool may have a
 * parent that is charged too. Thread-safe.
 */
public final class MemoryPool {
  private final String name;
  private final long limitBytes;
  private final MemoryPool parent;
  private final AtomicLong used = new AtomicLong();
  private final AtomicLong peak = new AtomicLong();

  private MemoryPool(String name, long limitBytes, MemoryPool parent) {
    this.name = name;
    this.limitBytes = limitBytes;
    this.parent = parent;
  }

  public static MemoryPool root(String name, long limitBytes) {
    return new MemoryPool(name, limitBytes, null);
  }

  public MemoryPool child(String name, long limitBytes) {
    return new MemoryPool(name, limitBytes, this);
  }

  /**
   * Takes {@code bytes} if they fit, here and in every pool above; otherwise takes nothing and says
   * false.
   */
  public boolean tryReserve(long bytes) {
    long now = used.addAndGet(bytes);
    if (now > limitBytes || (parent != null && !parent.tryReserve(bytes))) {
      used.addAndGet(-bytes);
      return false;
    }
    peak.accumulateAndGet(now, Math::max);
    return true;
  }

  public void release(long bytes) {
    used.addAndGet(-bytes);
    if (parent != null) {
      parent.release(bytes);
    }
  }

  public long usedBytes() {
    return used.get();
  }

  public long peakBytes() {
    return peak.get();
  }

  public long limitBytes() {
    return limitBytes;
  }

  public String name() {
    return name;
  }

  /** What one operator holds; resized as it grows, closed when it is done. One thread at a time. */
  public Reservation reservation(StepTally tally, String what) {
    return new Reservation(tally, what);
  }

  /** A growing claim on the pool. */
  public final class Reservation implements AutoCloseable {
    private final StepTally tally;
    private final String what;
    private long held;

    private Reservation(StepTally tally, String what) {
      this.tally = tally;
      this.what = what;
    }

    /**
     * @throws MemoryExceededException when the claim cannot grow to {@code bytes}; it stays as it
     *     was
     */
    public synchronized void resize(long bytes) {
      if (!tryResize(bytes)) {
        throw new MemoryExceededException(
            "Step [%s] needs %s more for %s, but %s has used %s of its %s; let less data reach this step, or have the administrator raise run-memory (for one run) and memory (for all) in settings.yml"
                .formatted(
                    tally.step(),
                    Sizes.text(bytes - held),
                    what,
                    name,
                    Sizes.text(usedBytes()),
                    Sizes.text(limitBytes)));
      }
    }

    /** Resizes by a difference; several threads may share the claim in this way. */
    public synchronized void grow(long bytes) {
      resize(held + bytes);
    }

    /** As {@link #resize}, but says false where that throws. */
    public synchronized boolean tryResize(long bytes) {
      long more = bytes - held;
      if (more > 0) {
        if (!tryReserve(more)) {
          return false;
        }
      } else {
        release(-more);
      }
      held = bytes;
      tally.memoryChanged(more);
      return true;
    }

    @Override
    public void close() {
      resize(0);
    }
  }
}

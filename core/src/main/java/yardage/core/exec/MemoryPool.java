package yardage.core.exec;

import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;

/**
 * A budget of bytes that growing operators reserve from, before they allocate. A pool may have a
 * parent that is charged too. What a {@link ReadCache} holds goes first when there is not enough;
 * then what some operators hold is asked back, the largest first. Thread-safe.
 */
public final class MemoryPool {
  /** A claim of less than this part of all need not leave room for others. */
  private static final int SMALL = 32;

  private final String name;
  private final Budget budget;
  private final MemoryPool parent;
  private final Set<Holder> holders = ConcurrentHashMap.newKeySet();
  private volatile Optional<ReadCache> cache = Optional.empty();

  /** Who can do without what it holds, by writing it to scratch. */
  interface Holder {
    long heldBytes();

    /** Gives back all that it holds; called by any thread, at any time until it is removed. */
    void giveBack();
  }

  private MemoryPool(String name, long limitBytes, MemoryPool parent) {
    this.name = name;
    this.budget = new Budget(limitBytes);
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
    while (!budget.tryTake(bytes)) {
      long missing = Math.max(1, bytes - budget.freeBytes());
      if (bytes > limitBytes() || cache.isEmpty() || !cache.get().giveBack(missing)) {
        return false;
      }
    }
    if (parent != null && !parent.tryReserve(bytes)) {
      budget.give(bytes);
      return false;
    }
    budget.notePeak();
    return true;
  }

  /** As {@link #tryReserve}, of what is free already; for the cache of this pool. */
  boolean tryReserveFree(long bytes) {
    return budget.tryTake(bytes);
  }

  void sparedBy(ReadCache spare) {
    if (parent != null || cache.isPresent()) {
      throw new IllegalStateException("Pool [%s] cannot have this cache".formatted(name));
    }
    cache = Optional.of(spare);
  }

  public void release(long bytes) {
    budget.give(bytes);
    if (parent != null) {
      parent.release(bytes);
    }
  }

  void add(Holder holder) {
    holders.add(holder);
    if (parent != null) {
      parent.add(holder);
    }
  }

  void remove(Holder holder) {
    holders.remove(holder);
    if (parent != null) {
      parent.remove(holder);
    }
  }

  /** What is free here and in every pool above, or can be asked back. */
  private long room() {
    long here = budget.freeBytes() + heldByHolders() + cache.map(ReadCache::heldBytes).orElse(0L);
    return parent == null ? here : Math.min(here, parent.room());
  }

  private long heldByHolders() {
    return holders.stream().mapToLong(Holder::heldBytes).sum();
  }

  /** As {@link #tryReserve}, but asks others for what they can do without first. */
  private boolean tryReserveOrAsk(long bytes) {
    while (!tryReserve(bytes)) {
      // The pool that is full asks: its holders are those below it.
      MemoryPool full = this;
      while (full.parent != null && full.budget.freeBytes() >= bytes) {
        full = full.parent;
      }
      Optional<Holder> largest = bytes > full.limitBytes() ? Optional.empty() : full.largest();
      if (largest.isEmpty()) {
        return false;
      }
      largest.get().giveBack();
    }
    return true;
  }

  /** What holders have changes all the time, so each is asked once. */
  private Optional<Holder> largest() {
    Optional<Holder> out = Optional.empty();
    long most = 0;
    for (Holder holder : holders) {
      long held = holder.heldBytes();
      if (held > most) {
        most = held;
        out = Optional.of(holder);
      }
    }
    return out;
  }

  public long usedBytes() {
    return budget.usedBytes();
  }

  public long peakBytes() {
    return budget.peakBytes();
  }

  public long limitBytes() {
    return budget.limitBytes();
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
                    Sizes.text(limitBytes())));
      }
    }

    /** Resizes by a difference; several threads may share the claim in this way. */
    public synchronized void grow(long bytes) {
      resize(held + bytes);
    }

    /** As {@link #resize}, but says false where that throws. */
    public synchronized boolean tryResize(long bytes) {
      return tryResize(bytes, true);
    }

    private boolean tryResize(long bytes, boolean ask) {
      long more = bytes - held;
      if (more > 0) {
        if (!(ask ? tryReserveOrAsk(more) : tryReserve(more))) {
          return false;
        }
      } else {
        release(-more);
      }
      held = bytes;
      tally.memoryChanged(more);
      return true;
    }

    /**
     * As {@link #tryResize}, for who can do with less. A large claim that grows in this way leaves
     * as much free as it takes, and never less than a quarter of all, for those that come after it
     * and for those that cannot do with less.
     */
    public synchronized boolean tryShare(long bytes) {
      return leavesEnough(bytes) && tryResize(bytes, true);
    }

    private boolean leavesEnough(long bytes) {
      if (bytes <= held || bytes <= limitBytes() / SMALL) {
        return true;
      }
      long room = room();
      return bytes <= (room + held) / 2 && room - (bytes - held) >= limitBytes() / 4;
    }

    /**
     * As {@link #tryShare}, for what is claimed once, at the end of a stage: only the last quarter
     * of all is left free.
     */
    synchronized boolean tryMost(long bytes) {
      return (bytes <= held || room() - (bytes - held) >= limitBytes() / 4)
          && tryResize(bytes, true);
    }

    /** As {@link #tryShare}, for a holder, who asks no other: they might ask each other. */
    synchronized boolean tryHold(long bytes) {
      return leavesEnough(bytes) && tryResize(bytes, false);
    }

    @Override
    public void close() {
      resize(0);
    }
  }
}

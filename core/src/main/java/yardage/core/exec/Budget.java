package yardage.core.exec;

import java.util.concurrent.atomic.AtomicLong;

/** So many bytes of something, of which parts are taken and given back. Thread-safe. */
final class Budget {
  private final long limitBytes;
  private final AtomicLong used = new AtomicLong();
  private final AtomicLong peak = new AtomicLong();

  Budget(long limitBytes) {
    this.limitBytes = limitBytes;
  }

  /** Takes bytes if there are so many; otherwise takes nothing and says false. */
  boolean tryTake(long bytes) {
    long now = used.get();
    // Never more than there is, not even for a moment: others would be refused for it.
    while (now + bytes <= limitBytes) {
      if (used.compareAndSet(now, now + bytes)) {
        return true;
      }
      now = used.get();
    }
    return false;
  }

  /** Remembers how much is taken now, once it is sure that it stays taken. */
  void notePeak() {
    peak.accumulateAndGet(used.get(), Math::max);
  }

  void give(long bytes) {
    used.addAndGet(-bytes);
  }

  long limitBytes() {
    return limitBytes;
  }

  long usedBytes() {
    return used.get();
  }

  long freeBytes() {
    return limitBytes - used.get();
  }

  long peakBytes() {
    return peak.get();
  }
}

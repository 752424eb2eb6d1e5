package yardage.core.exec;

/** What the calls of a window keep beside the rows, reserved together. Thread-safe. */
final class WindowMemory {
  private final MemoryPool.Reservation claim;
  private long bytes;

  WindowMemory(MemoryPool.Reservation claim) {
    this.claim = claim;
  }

  /** Reserves more, or gives some back. */
  synchronized void add(long more) {
    bytes += more;
    claim.resize(bytes);
  }
}

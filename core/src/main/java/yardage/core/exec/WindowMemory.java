package yardage.core.exec;

/** What the calls of a window keep beside the rows, reserved together. Thread-safe. */
final class WindowMemory {
  private final MemoryPool.Reservation claim;
  private final Turns turns;
  private long bytes;

  /**
   * @param turns of those that may have memory which is missing here
   */
  WindowMemory(MemoryPool.Reservation claim, Turns turns) {
    this.claim = claim;
    this.turns = turns;
  }

  /** Reserves more, or gives some back. */
  synchronized void add(long more) {
    bytes += more;
    turns.insist(claim, bytes);
  }
}

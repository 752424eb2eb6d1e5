package yardage.core.exec;

/** Waits for threads that are known to end. */
final class Joining {
  private Joining() {}

  /** An interrupt does not shorten the wait, and is kept for the caller. */
  static void join(Iterable<Thread> threads) {
    boolean interrupted = false;
    for (Thread thread : threads) {
      while (thread.isAlive()) {
        try {
          thread.join();
        } catch (InterruptedException e) {
          interrupted = true;
        }
      }
    }
    if (interrupted) {
      Thread.currentThread().interrupt();
    }
  }
}

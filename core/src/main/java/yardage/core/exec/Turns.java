package yardage.core.exec;

/**
 * Workers that hold memory for a while, each in a piece of work that ends by itself. One that is
 * refused memory waits for another to end rather than fail, unless all of them wait.
 */
public final class Turns {
  private static final long LOOK_AGAIN_MILLIS = 20;

  private final ThreadLocal<Integer> depth = ThreadLocal.withInitial(() -> 0);
  private int atWork;
  private int waiting;
  private boolean oneAlone;

  /** Does a piece of work; one within another counts once. */
  public void during(Runnable work) {
    begin();
    try {
      work.run();
    } finally {
      end();
    }
  }

  private synchronized void begin() {
    depth.set(depth.get() + 1);
    atWork += depth.get() == 1 ? 1 : 0;
  }

  private synchronized void end() {
    depth.set(depth.get() - 1);
    atWork -= depth.get() == 0 ? 1 : 0;
    notifyAll();
  }

  /**
   * Does a part of the work that takes much memory, one worker after another: whoever waits for it
   * holds little, and counts as waiting for memory.
   */
  public void alone(Runnable work) {
    Processors.away(this::beginAlone);
    try {
      work.run();
    } finally {
      endAlone();
    }
  }

  private synchronized void beginAlone() {
    int own = depth.get() > 0 ? 1 : 0;
    waiting += own;
    try {
      while (oneAlone) {
        wait(LOOK_AGAIN_MILLIS);
      }
      oneAlone = true;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new CancelledException("The worker was interrupted");
    } finally {
      waiting -= own;
    }
  }

  private synchronized void endAlone() {
    oneAlone = false;
    notifyAll();
  }

  /**
   * Claims memory, and waits for it as long as another worker may give some back.
   *
   * @throws MemoryExceededException when nobody will
   */
  public void insist(MemoryPool.Reservation claim, long bytes) {
    while (!claim.tryResize(bytes)) {
      if (!awaitAnother()) {
        claim.resize(bytes);
        return;
      }
    }
  }

  /**
   * Waits a moment for another worker.
   *
   * @return false at once when none is at work, or all of them wait as well
   */
  public boolean awaitAnother() {
    boolean[] another = new boolean[1];
    Processors.away(() -> another[0] = looked());
    return another[0];
  }

  private synchronized boolean looked() {
    int own = depth.get() > 0 ? 1 : 0;
    if (atWork - own - waiting <= 0) {
      return false;
    }
    waiting += own;
    try {
      wait(LOOK_AGAIN_MILLIS);
      return true;
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      return false;
    } finally {
      waiting -= own;
    }
  }
}

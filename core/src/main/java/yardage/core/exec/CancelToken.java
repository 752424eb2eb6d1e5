package yardage.core.exec;

/** Asks a run's workers to stop; they look between batches. */
public final class CancelToken {
  private volatile String reason;

  public void cancel(String why) {
    if (reason == null) {
      reason = why;
    }
  }

  /** Why it was cancelled; empty while it was not. */
  public String reason() {
    String why = reason;
    return why == null ? "" : why;
  }

  public boolean isCancelled() {
    return reason != null;
  }

  /**
   * @throws CancelledException once {@link #cancel} was called
   */
  public void check() {
    String why = reason;
    if (why != null) {
      throw new CancelledException(why);
    }
  }
}

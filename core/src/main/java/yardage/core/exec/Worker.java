package yardage.core.exec;

/**
 * One thread of a stage: its number, its cancellation, and the clock that charges time to steps.
 */
public final class Worker {
  private final int ordinal;
  private final ExecutionContext context;
  private StepTally current;
  private long since;

  Worker(int ordinal, ExecutionContext context) {
    this.ordinal = ordinal;
    this.context = context;
  }

  public int ordinal() {
    return ordinal;
  }

  public ExecutionContext context() {
    return context;
  }

  /** The name of the step at work; empty before the first. */
  String step() {
    return current == null ? "" : current.step();
  }

  /**
   * Charges the time since the last call to the step before, and from here on to {@code tally};
   * returns the step before.
   */
  StepTally switchTo(StepTally tally) {
    long now = System.nanoTime();
    StepTally before = current;
    if (before != null) {
      before.spent(now - since, now);
    }
    current = tally;
    since = now;
    return before;
  }
}

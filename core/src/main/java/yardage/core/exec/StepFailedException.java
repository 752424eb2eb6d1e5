package yardage.core.exec;

/** Says in which step a worker failed; the cause is what happened there. */
public final class StepFailedException extends RuntimeException {
  private final String step;

  StepFailedException(String step, RuntimeException cause) {
    super(cause.getMessage(), cause);
    this.step = step;
  }

  public String step() {
    return step;
  }

  /** What happened, without the step. */
  public RuntimeException reason() {
    return (RuntimeException) getCause();
  }
}

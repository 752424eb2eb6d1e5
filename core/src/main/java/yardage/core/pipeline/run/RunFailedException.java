package yardage.core.pipeline.run;

/** A run that stopped for a reason that its owner can mend; nothing was published. */
public final class RunFailedException extends RuntimeException {
  private final String code;
  private final String step;

  public RunFailedException(String code, String step, String message, Throwable cause) {
    super(message, cause);
    this.code = code;
    this.step = step;
  }

  public String code() {
    return code;
  }

  /** The step that failed; empty when it is not one step's fault. */
  public String step() {
    return step;
  }
}

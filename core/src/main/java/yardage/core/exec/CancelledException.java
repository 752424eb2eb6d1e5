package yardage.core.exec;

/** Thrown in a worker once its run was cancelled. */
public final class CancelledException extends RuntimeException {
  public CancelledException(String message) {
    super(message);
  }
}

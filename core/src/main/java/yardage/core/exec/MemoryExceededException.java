package yardage.core.exec;

/** A reservation that does not fit the budget of its run. */
public final class MemoryExceededException extends RuntimeException {
  public MemoryExceededException(String message) {
    super(message);
  }
}

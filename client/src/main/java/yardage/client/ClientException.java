package yardage.client;

/** A mistake or refusal to be told on standard error in a line or a few. */
final class ClientException extends RuntimeException {
  private final int exitCode;

  ClientException(int exitCode, String message) {
    super(message);
    this.exitCode = exitCode;
  }

  int exitCode() {
    return exitCode;
  }
}

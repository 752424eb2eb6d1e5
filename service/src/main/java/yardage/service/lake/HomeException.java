package yardage.service.lake;

/** The home cannot be worked in: another service has it, or it is not where its tables say. */
final class HomeException extends RuntimeException {
  private final String fix;

  HomeException(String message, String fix) {
    super(message);
    this.fix = fix;
  }

  String fix() {
    return fix;
  }
}

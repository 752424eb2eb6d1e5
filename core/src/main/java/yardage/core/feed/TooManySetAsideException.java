package yardage.core.feed;

/** More rows of a feed were set aside than it allows; most of them are of one file. */
public final class TooManySetAsideException extends FeedException implements FileAtFault {
  private final Fault fault;

  TooManySetAsideException(String message, Fault fault) {
    super(message);
    this.fault = fault;
  }

  @Override
  public Fault fault() {
    return fault;
  }
}

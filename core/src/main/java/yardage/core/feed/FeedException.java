package yardage.core.feed;

/** A feed whose files cannot be taken in; the message says which, why and how to mend it. */
public sealed class FeedException extends RuntimeException permits TooManySetAsideException {
  public FeedException(String message) {
    super(message);
  }
}

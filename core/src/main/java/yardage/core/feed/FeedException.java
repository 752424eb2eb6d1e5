package yardage.core.feed;

/** A feed whose files cannot be taken in; the message says which, why and how to mend it. */
public final class FeedException extends RuntimeException {
  public FeedException(String message) {
    super(message);
  }
}

package yardage.core.feed;

/** One file is not as its contract says: its kind has changed, or it is no file of the feed. */
public final class ChangedFileException extends FeedChangedException implements FileAtFault {
  private final Fault fault;

  ChangedFileException(String feed, FeedFile file, FeedChangedException why) {
    super(feed, why.found());
    this.fault = new Fault(feed, file, why.found());
  }

  @Override
  public Fault fault() {
    return fault;
  }
}

package yardage.core.feed;

/** One file is not as its contract says: its kind has changed, or it is no file of the feed. */
public final class ChangedFileException extends FeedChangedException implements FileAtFault {
  private final String feed;
  private final FileDiscovery.Found file;
  private final String found;

  ChangedFileException(String feed, FileDiscovery.Found file, FeedChangedException why) {
    super(feed, why.found());
    this.feed = feed;
    this.file = file;
    this.found = why.found();
  }

  @Override
  public String feed() {
    return feed;
  }

  @Override
  public FileDiscovery.Found file() {
    return file;
  }

  @Override
  public String why() {
    return found;
  }
}

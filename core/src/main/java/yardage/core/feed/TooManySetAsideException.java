package yardage.core.feed;

/** More rows of a feed were set aside than it allows; most of them are of one file. */
public final class TooManySetAsideException extends FeedException implements FileAtFault {
  private final String feed;
  private final FileDiscovery.Found file;
  private final String why;

  TooManySetAsideException(String message, String feed, FileDiscovery.Found file, String why) {
    super(message);
    this.feed = feed;
    this.file = file;
    this.why = why;
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
    return why;
  }
}

package yardage.core.feed;

import yardage.core.format.FileFormatException;

/** A file of a feed that cannot be read to its end, as it was found. */
public final class DamagedFileException extends FileFormatException implements FileAtFault {
  private final String feed;
  private final FileDiscovery.Found file;

  DamagedFileException(FeedDefinition feed, FileDiscovery.Found file, FileFormatException why) {
    super(
        "%s. To go on without it, put [%s] of feed [%s] into quarantine"
            .formatted(why.getMessage().replaceFirst("[.\\s]+$", ""), file.path(), feed.name()),
        why);
    this.feed = feed.name();
    this.file = file;
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
    return getCause().getMessage();
  }
}

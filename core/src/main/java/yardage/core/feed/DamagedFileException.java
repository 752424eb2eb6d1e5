package yardage.core.feed;

import yardage.core.format.FileFormatException;

/** A file of a feed that cannot be read to its end, as it was found. */
public final class DamagedFileException extends FileFormatException implements FileAtFault {
  private final Fault fault;

  DamagedFileException(FeedDefinition feed, FeedFile file, FileFormatException why) {
    super(
        "%s. To go on without it, put [%s] of feed [%s] into quarantine"
            .formatted(why.getMessage().replaceFirst("[.\\s]+$", ""), file.path(), feed.name()),
        why);
    this.fault = new Fault(feed.name(), file, why.getMessage());
  }

  @Override
  public Fault fault() {
    return fault;
  }
}

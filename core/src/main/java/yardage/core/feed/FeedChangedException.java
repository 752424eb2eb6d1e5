package yardage.core.feed;

/**
 * Files that no longer are as their contract says, where the feed wants to be asked first. Nothing
 * was published.
 */
public sealed class FeedChangedException extends RuntimeException permits ChangedFileException {
  private final String found;

  /**
   * @param found what was found, and where
   */
  public FeedChangedException(String feed, String found) {
    super(
        "%s; nothing was taken in. See the change with: yardage feed changes %s. Accept it with: yardage feed accept %s"
            .formatted(found, feed, feed));
    this.found = found;
  }

  /** What was found, and where. */
  String found() {
    return found;
  }
}

package yardage.core.feed;

/**
 * Files that no longer are as their contract says, where the feed wants to be asked first. Nothing
 * was published.
 */
public final class FeedChangedException extends RuntimeException {
  /**
   * @param found what was found, and where
   */
  public FeedChangedException(String feed, String found) {
    super(
        "%s; nothing was taken in. See the change with: yardage feed changes %s. Accept it with: yardage feed accept %s"
            .formatted(found, feed, feed));
  }
}

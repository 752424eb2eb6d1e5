package yardage.core.feed;

/** What stopped a feed when one of its files did, so that it can be put into quarantine. */
public sealed interface FileAtFault
    permits ChangedFileException, DamagedFileException, TooManySetAsideException {
  /**
   * @param file as it was found
   * @param why what is wrong with the file itself, in words
   */
  record Fault(String feed, FeedFile file, String why) {}

  Fault fault();
}

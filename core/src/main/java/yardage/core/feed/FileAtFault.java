package yardage.core.feed;

/** What stopped a feed when one of its files did, so that it can be put into quarantine. */
public sealed interface FileAtFault
    permits ChangedFileException, DamagedFileException, TooManySetAsideException {
  String feed();

  /** The file as it was found. */
  FileDiscovery.Found file();

  /** What is wrong with the file itself, in words. */
  String why();
}

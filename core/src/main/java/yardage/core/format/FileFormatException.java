package yardage.core.format;

/**
 * A file that cannot be read as what it should be; the message names the file, the place and a
 * remedy.
 */
public class FileFormatException extends RuntimeException {
  public FileFormatException(String message) {
    super(message);
  }

  public FileFormatException(String message, Throwable cause) {
    super(message, cause);
  }

  /** For a compressed file that breaks off or is wrong inside. */
  public static FileFormatException damaged(String file, long inflatedBytes, Exception cause) {
    return new FileFormatException(
        "File [%s] is damaged: its compressed data breaks off or is wrong after %,d bytes inflated; get the file again, then run again"
            .formatted(file, inflatedBytes),
        cause);
  }
}

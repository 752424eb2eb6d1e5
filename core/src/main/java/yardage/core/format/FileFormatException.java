package yardage.core.format;

/**
 * A file that cannot be read as what it should be; the message names the file, the place and a
 * remedy.
 */
public final class FileFormatException extends RuntimeException {
  public FileFormatException(String message) {
    super(message);
  }

  public FileFormatException(String message, Throwable cause) {
    super(message, cause);
  }
}

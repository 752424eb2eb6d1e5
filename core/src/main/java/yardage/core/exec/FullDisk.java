package yardage.core.exec;

import java.io.IOException;
import java.util.List;

/** Tells a disk that takes no more from other failures of it. */
public final class FullDisk {
  /** How systems say it: the device, a quota, or a limit on a file's size. */
  private static final List<String> WORDS =
      List.of("No space left", "Disk quota exceeded", "File too large");

  private FullDisk() {}

  /** Whether a failure, or what caused it, is a disk that takes no more. */
  public static boolean is(Throwable failure) {
    for (Throwable t = failure; t != null; t = t.getCause() == t ? null : t.getCause()) {
      if (t instanceof IOException && t.getMessage() != null) {
        String message = t.getMessage();
        if (WORDS.stream().anyMatch(message::contains)) {
          return true;
        }
      }
    }
    return false;
  }
}

package yardage.service;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;

/** Files that nobody but their owner may read, from their first byte on. */
public final class PrivateFiles {
  private PrivateFiles() {}

  /** Writes a file anew, with mode 0600. */
  public static void write(Path file, String text) {
    try {
      Files.deleteIfExists(file);
      Files.createFile(
          file, PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      Files.writeString(file, text);
    } catch (IOException e) {
      throw new UncheckedIOException("Cannot write [%s]: %s".formatted(file, e.getMessage()), e);
    }
  }
}

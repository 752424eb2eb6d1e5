package yardage.core.lake;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.apache.iceberg.io.FileIO;
import org.apache.iceberg.io.InputFile;
import org.apache.iceberg.io.OutputFile;

/**
 * Local storage as the table format's library wants it; what is created is noted in a staging log
 * first.
 */
final class StagedFiles implements FileIO {
  private final transient Staging staging;

  /** For reading only. */
  StagedFiles() {
    this(null);
  }

  StagedFiles(Staging staging) {
    this.staging = staging;
  }

  @Override
  public InputFile newInputFile(String path) {
    return org.apache.iceberg.Files.localInput(path);
  }

  @Override
  public OutputFile newOutputFile(String path) {
    if (staging == null) {
      throw new IllegalStateException("Storage opened for reading was asked to write " + path);
    }
    staging.note(Path.of(path));
    return org.apache.iceberg.Files.localOutput(path);
  }

  @Override
  public void deleteFile(String path) {
    try {
      Files.deleteIfExists(Path.of(path));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}

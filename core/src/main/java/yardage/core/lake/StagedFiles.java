package yardage.core.lake;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.Optional;
import org.apache.iceberg.io.FileIO;
import org.apache.iceberg.io.InputFile;
import org.apache.iceberg.io.OutputFile;
import yardage.core.storage.Address;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;

/**
 * Storage as the table format's library wants it; what is created is noted in a staging log first.
 */
final class StagedFiles implements FileIO {
  private final transient Storage storage;
  private final transient Optional<Staging> staging;

  /** For reading only. */
  StagedFiles(Storage storage) {
    this.storage = storage;
    this.staging = Optional.empty();
  }

  StagedFiles(Storage storage, Staging staging) {
    this.storage = storage;
    this.staging = Optional.of(staging);
  }

  @Override
  public InputFile newInputFile(String path) {
    return file(path);
  }

  private StoredFile file(String path) {
    return new StoredFile(new Place(storage, new Address(path)));
  }

  @Override
  public OutputFile newOutputFile(String path) {
    staging
        .orElseThrow(
            () ->
                new IllegalStateException("Storage opened for reading was asked to write " + path))
        .note(new Address(path));
    return file(path);
  }

  @Override
  public void deleteFile(String path) {
    try {
      storage.delete(new Address(path));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}

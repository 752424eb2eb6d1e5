package yardage.core.format.parquet;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.hadoop.metadata.BlockMetaData;
import org.apache.parquet.hadoop.metadata.ColumnChunkMetaData;
import yardage.core.column.Type;
import yardage.core.exec.ReadCache;
import yardage.core.format.FileFormatException;
import yardage.core.storage.Place;

/**
 * A file of which some is known already, and which is opened when more is asked for. One thread at
 * a time.
 */
final class OpenedFile implements AutoCloseable {
  /** What a footer takes for each column of a row group, with its statistics. */
  private static final long COLUMN_BYTES = 1_200;

  private final Place file;
  private final ReadCache cache;
  private final long fileBytes;
  private final FileLayout layout;
  private Optional<ParquetFileReader> opened = Optional.empty();

  /** What a file says of itself. */
  private record FooterKey(String file, long fileBytes) implements ReadCache.Key<FileLayout> {}

  /**
   * @throws FileFormatException when it is not there, or no Parquet file
   */
  OpenedFile(Place file, ReadCache cache, long fileBytes) {
    this.file = file;
    this.cache = cache;
    this.fileBytes = fileBytes;
    FooterKey key = new FooterKey(file.toString(), fileBytes);
    try {
      Optional<FileLayout> known = cache.get(key);
      layout = known.isPresent() ? known.get() : readFooter(key);
    } catch (IOException | RuntimeException e) {
      close();
      throw new FileFormatException(
          "File [%s] cannot be read as Parquet: %s".formatted(file, e.getMessage()), e);
    }
  }

  private OpenedFile(Place file, ReadCache cache, long fileBytes, FileLayout layout) {
    this.file = file;
    this.cache = cache;
    this.fileBytes = fileBytes;
    this.layout = layout;
  }

  /** A file, if nothing of it needs to be read to know what it has. */
  static Optional<OpenedFile> ofKept(Place file, ReadCache cache, long fileBytes) {
    return cache
        .get(new FooterKey(file.toString(), fileBytes))
        .map(layout -> new OpenedFile(file, cache, fileBytes, layout));
  }

  private FileLayout readFooter(FooterKey key) throws IOException {
    opened = Optional.of(StoredInput.reader(file));
    FileLayout read = FileLayout.of(opened.get().getFooter());
    long columns = read.footer().getFileMetaData().getSchema().getColumns().size() + 1L;
    cache
        .slot(key, COLUMN_BYTES * columns * (2 + read.footer().getBlocks().size()))
        .ifPresent(slot -> slot.fill(read));
    return read;
  }

  FileLayout layout() {
    return layout;
  }

  ReadCache cache() {
    return cache;
  }

  ParquetFileReader reader() throws IOException {
    if (opened.isEmpty()) {
      opened = Optional.of(StoredInput.reader(file, layout.footer()));
    }
    return opened.get();
  }

  BlockMetaData rowGroup(int ordinal) {
    return layout.footer().getBlocks().get(ordinal);
  }

  /** What the file says of a leaf in a row group. */
  ColumnChunkMetaData chunk(int rowGroup, ColumnDescriptor leaf) {
    return rowGroup(rowGroup).getColumns().stream()
        .filter(c -> Arrays.equals(c.getPath().toArray(), leaf.getPath()))
        .findFirst()
        .orElseThrow(() -> damaged(rowGroup, String.join(".", leaf.getPath()), null));
  }

  /**
   * @param wanted the type of the whole column that the leaf is of
   */
  CachedChunk.Key key(int rowGroup, ColumnDescriptor leaf, Type wanted) {
    return new CachedChunk.Key(
        file.toString(), fileBytes, rowGroup, List.of(leaf.getPath()), wanted);
  }

  FileFormatException damaged(int ordinal, String column, Exception cause) {
    return new FileFormatException(
        "File [%s] is damaged: its bytes are not those that were written%s, in row group %d"
            .formatted(file, column.isEmpty() ? "" : " of column [%s]".formatted(column), ordinal),
        cause);
  }

  FileFormatException mismatch(String holds, Type type) {
    return new FileFormatException(
        "File [%s] holds [%s] where the table has %s".formatted(file, holds, type));
  }

  UncheckedIOException unread(IOException e) {
    return new UncheckedIOException(
        "File [%s] cannot be read: %s".formatted(file, e.getMessage()), e);
  }

  @Override
  public void close() {
    try {
      if (opened.isPresent()) {
        opened.get().close();
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}

package yardage.core.format.parquet;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.List;
import java.util.Map;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.hadoop.ParquetFileWriter;
import org.apache.parquet.hadoop.metadata.CompressionCodecName;
import org.apache.parquet.hadoop.metadata.ParquetMetadata;
import org.apache.parquet.io.OutputFile;
import org.apache.parquet.io.PositionOutputStream;
import org.apache.parquet.schema.MessageType;

/**
 * Writes one Parquet file out of row groups, with statistics and page indexes. One thread at a
 * time.
 */
public final class DataFileWriter implements AutoCloseable {
  private static final int INDEX_TRUNCATE_BYTES = 64;
  private static final long UNUSED_ROW_GROUP_SIZE = 128L << 20;

  private final MessageType schema;
  private final ParquetFileWriter writer;
  private final OpenedOnce file;
  private long rowCount;

  public DataFileWriter(OutputFile file, MessageType schema) {
    this.schema = schema;
    this.file = new OpenedOnce(file);
    try {
      writer =
          new ParquetFileWriter(
              this.file,
              schema,
              ParquetFileWriter.Mode.CREATE,
              UNUSED_ROW_GROUP_SIZE,
              0,
              INDEX_TRUNCATE_BYTES,
              Integer.MAX_VALUE,
              // A checksum a page: what rots on the disk is noticed by whoever reads it.
              true);
      writer.start();
    } catch (IOException e) {
      throw new UncheckedIOException(
          "Cannot create [%s]: %s".formatted(file.getPath(), e.getMessage()), e);
    }
  }

  public void write(RowGroup group) {
    try {
      writer.startBlock(group.rowCount());
      List<ColumnDescriptor> columns = schema.getColumns();
      for (int c = 0; c < columns.size(); c++) {
        EncodedChunk chunk = group.chunks().get(c);
        writer.startColumn(columns.get(c), chunk.valueCount(), CompressionCodecName.ZSTD);
        if (chunk.dictionary().isPresent()) {
          DictionaryPage page = chunk.dictionary().get();
          writer.writeDictionaryPage(page);
        }
        for (EncodedChunk.Page page : chunk.pages()) {
          writer.writeDataPage(
              page.valueCount(),
              page.uncompressedBytes(),
              BytesInput.from(page.compressed()),
              page.statistics(),
              page.rowCount(),
              Encoding.RLE,
              Encoding.RLE,
              page.encoding());
        }
        writer.endColumn();
        String path = String.join(".", columns.get(c).getPath());
        chunk.bloom().ifPresent(bloom -> writer.addBloomFilter(path, bloom));
      }
      writer.endBlock();
      rowCount += group.rowCount();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  public long rowCount() {
    return rowCount;
  }

  public long bytesSoFar() {
    try {
      return writer.getPos();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** Writes the footer and gives it; the file is whole then. */
  public ParquetMetadata finish() {
    try {
      writer.end(Map.of());
      // The last bytes leave their buffer here: a disk that refuses them must be heard.
      writer.close();
      return writer.getFooter();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /**
   * Gives up the file descriptor; what was written so far is no file unless {@link #finish} was
   * called. The library keeps the stream of a file open when writing it failed, so it is closed
   * here whatever became of it.
   */
  @Override
  public void close() {
    try {
      writer.close();
    } catch (IOException e) {
      // A disk that is full refuses the last bytes once more; who writes has been told already.
    } finally {
      file.closeStream();
    }
  }

  /** An output file that remembers the one stream that was made of it. */
  private static final class OpenedOnce implements OutputFile {
    private final OutputFile file;
    private PositionOutputStream stream;

    OpenedOnce(OutputFile file) {
      this.file = file;
    }

    void closeStream() {
      try {
        if (stream != null) {
          stream.close();
        }
      } catch (IOException e) {
        // As above: closing frees the descriptor even when it cannot flush.
      }
    }

    @Override
    public PositionOutputStream create(long blockSizeHint) throws IOException {
      stream = file.create(blockSizeHint);
      return stream;
    }

    @Override
    public PositionOutputStream createOrOverwrite(long blockSizeHint) throws IOException {
      stream = file.createOrOverwrite(blockSizeHint);
      return stream;
    }

    @Override
    public boolean supportsBlockSize() {
      return file.supportsBlockSize();
    }

    @Override
    public long defaultBlockSize() {
      return file.defaultBlockSize();
    }

    @Override
    public String getPath() {
      return file.getPath();
    }
  }
}

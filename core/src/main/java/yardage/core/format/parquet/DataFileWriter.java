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
  private long rowCount;

  public DataFileWriter(OutputFile file, MessageType schema) {
    this.schema = schema;
    try {
      writer =
          new ParquetFileWriter(
              file,
              schema,
              ParquetFileWriter.Mode.CREATE,
              UNUSED_ROW_GROUP_SIZE,
              0,
              INDEX_TRUNCATE_BYTES,
              Integer.MAX_VALUE,
              false);
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
        writer.startColumn(columns.get(c), group.rowCount(), CompressionCodecName.ZSTD);
        if (chunk.dictionary().isPresent()) {
          DictionaryPage page = chunk.dictionary().get();
          writer.writeDictionaryPage(page);
        }
        for (EncodedChunk.Page page : chunk.pages()) {
          writer.writeDataPage(
              page.rowCount(),
              page.uncompressedBytes(),
              BytesInput.from(page.compressed()),
              page.statistics(),
              page.rowCount(),
              Encoding.RLE,
              Encoding.RLE,
              page.encoding());
        }
        writer.endColumn();
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
      return writer.getFooter();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** Gives up the file descriptor; what was written so far is no file. */
  @Override
  public void close() {
    try {
      writer.close();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}

package yardage.core.lake;

import java.io.IOException;
import java.io.OutputStream;
import java.util.Arrays;
import java.util.List;
import org.apache.iceberg.parquet.ParquetSchemaUtil;
import org.apache.parquet.io.OutputFile;
import org.apache.parquet.io.PositionOutputStream;
import org.apache.parquet.schema.MessageType;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Schema;
import yardage.core.format.export.RowsWriter;
import yardage.core.format.parquet.DataFileWriter;
import yardage.core.format.parquet.RowGroup;

/**
 * Rows as one Parquet file on a stream. A row group is gathered in memory before it is written; its
 * size is bounded.
 */
public final class ParquetRows implements RowsWriter {
  private static final int ROW_GROUP_ROWS = 1 << 20;
  private static final long ROW_GROUP_BYTES = 32L << 20;

  private final Schema schema;
  private final MessageType fileSchema;
  private final DataFileWriter writer;
  private ColumnBuilder[] buffer;
  private int rows;

  public ParquetRows(Schema schema, OutputStream out) {
    this.schema = schema;
    this.fileSchema = ParquetSchemaUtil.convert(IcebergTypes.toIceberg(schema), "rows");
    this.writer = new DataFileWriter(new Streamed(out), fileSchema);
    this.buffer = ColumnBuilder.of(schema);
  }

  @Override
  public void write(Batch batch) {
    long bytes = 0;
    for (int c = 0; c < buffer.length; c++) {
      buffer[c].appendAll(batch.column(c));
      bytes += buffer[c].sizeBytes();
    }
    rows += batch.rowCount();
    if (rows >= ROW_GROUP_ROWS || bytes >= ROW_GROUP_BYTES) {
      flush();
    }
  }

  private void flush() {
    if (rows > 0) {
      List<Column> columns = Arrays.stream(buffer).map(ColumnBuilder::build).toList();
      writer.write(RowGroup.encode(columns, fileSchema));
      buffer = ColumnBuilder.of(schema);
      rows = 0;
    }
  }

  @Override
  public void finish() {
    flush();
    writer.finish();
  }

  /** A stream that counts, as the file layer wants it; closing leaves the stream open. */
  private record Streamed(OutputStream out) implements OutputFile {
    @Override
    public PositionOutputStream create(long blockSizeHint) {
      return new PositionOutputStream() {
        private long position;

        @Override
        public long getPos() {
          return position;
        }

        @Override
        public void write(int b) throws IOException {
          out.write(b);
          position++;
        }

        @Override
        public void write(byte[] bytes, int from, int length) throws IOException {
          out.write(bytes, from, length);
          position += length;
        }

        @Override
        public void flush() throws IOException {
          out.flush();
        }

        @Override
        public void close() throws IOException {
          out.flush();
        }
      };
    }

    @Override
    public PositionOutputStream createOrOverwrite(long blockSizeHint) {
      return create(blockSizeHint);
    }

    @Override
    public boolean supportsBlockSize() {
      return false;
    }

    @Override
    public long defaultBlockSize() {
      return 0;
    }

    @Override
    public String getPath() {
      return "the answer";
    }
  }
}

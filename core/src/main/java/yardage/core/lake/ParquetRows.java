package yardage.core.lake;

import java.io.OutputStream;
import java.util.Arrays;
import java.util.List;
import org.apache.iceberg.parquet.ParquetSchemaUtil;
import org.apache.parquet.schema.MessageType;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Schema;
import yardage.core.format.export.RowsWriter;
import yardage.core.format.parquet.DataFileWriter;
import yardage.core.format.parquet.RowGroup;
import yardage.core.format.parquet.StoredOutput;

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
    this.writer = new DataFileWriter(StoredOutput.output("the answer", out), fileSchema);
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
}

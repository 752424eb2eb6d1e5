package yardage.core.format.parquet;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.List;
import org.apache.parquet.PlainReadOptions;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.page.PageReadStore;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.hadoop.metadata.ParquetMetadata;
import org.apache.parquet.io.InputFile;
import org.apache.parquet.schema.MessageType;
import yardage.core.column.*;
import yardage.core.exec.BatchConsumer;
import yardage.core.expr.Literal;
import yardage.core.format.FileFormatException;

/**
 * Reads one Parquet file, a row group at a time, only the columns asked for. One thread at a time.
 */
public final class DataFileReader implements AutoCloseable {
  private final InputFile file;
  private final ParquetFileReader reader;

  /**
   * A column wanted: by the field number that the file's schema gives it, so that renames do not
   * matter.
   */
  public record Wanted(int fieldId, Type type) {}

  public DataFileReader(InputFile file) {
    this.file = file;
    try {
      reader = ParquetFileReader.open(file, new PlainReadOptions(new ZstdCodecs()));
    } catch (IOException | RuntimeException e) {
      throw new FileFormatException(
          "File [%s] cannot be read as Parquet: %s".formatted(file, e.getMessage()), e);
    }
  }

  public ParquetMetadata footer() {
    return reader.getFooter();
  }

  public int rowGroupCount() {
    return reader.getRowGroups().size();
  }

  public long rowCount() {
    return reader.getRecordCount();
  }

  /** Reads one row group into batches of a page's rows; columns that the file lacks are null. */
  public void readRowGroup(int ordinal, List<Wanted> wanted, BatchConsumer out) {
    MessageType schema = reader.getFooter().getFileMetaData().getSchema();
    List<ColumnDescriptor> chosen = new ArrayList<>();
    ColumnDescriptor[] byWanted = new ColumnDescriptor[wanted.size()];
    for (int i = 0; i < byWanted.length; i++) {
      byWanted[i] = find(schema, wanted.get(i));
      if (byWanted[i] != null) {
        chosen.add(byWanted[i]);
      }
    }
    try {
      long rows = reader.getRowGroups().get(ordinal).getRowCount();
      ChunkDecoder[] decoders = new ChunkDecoder[byWanted.length];
      if (!chosen.isEmpty()) {
        reader.setRequestedSchema(chosen);
        PageReadStore store = reader.readRowGroup(ordinal);
        for (int i = 0; i < decoders.length; i++) {
          if (byWanted[i] != null) {
            decoders[i] =
                new ChunkDecoder(
                    store.getPageReader(byWanted[i]), byWanted[i], wanted.get(i).type());
          }
        }
      }
      long sequence = (long) ordinal << 14;
      while (rows > 0) {
        int n = (int) Math.min(rows, ChunkEncoder.PAGE_ROWS);
        for (ChunkDecoder decoder : decoders) {
          if (decoder != null) {
            n = Math.min(n, Math.max(1, decoder.available()));
            break;
          }
        }
        List<Column> columns = new ArrayList<>();
        for (int i = 0; i < decoders.length; i++) {
          columns.add(
              decoders[i] == null
                  ? Literal.of(wanted.get(i).type(), null).column(n)
                  : decoders[i].next(n));
        }
        out.accept(new Batch(columns, n, sequence++));
        rows -= n;
      }
    } catch (IOException e) {
      throw new UncheckedIOException(
          "File [%s] cannot be read: %s".formatted(file, e.getMessage()), e);
    }
  }

  private ColumnDescriptor find(MessageType schema, Wanted wanted) {
    for (ColumnDescriptor column : schema.getColumns()) {
      org.apache.parquet.schema.Type field = schema.getType(column.getPath()[0]);
      if (field.getId() != null && field.getId().intValue() == wanted.fieldId()) {
        ChunkDecoder.mismatch(column, wanted.type())
            .ifPresent(
                holds -> {
                  throw new FileFormatException(
                      "File [%s] holds [%s] where the table has %s"
                          .formatted(file, holds, wanted.type()));
                });
        return column;
      }
    }
    return null;
  }

  @Override
  public void close() {
    try {
      reader.close();
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}

package yardage.core.format.parquet;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Path;
import yardage.core.format.json.JsonFormat;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RecordParser;

/**
 * Parquet files that others wrote, under a contract. Their rows are put together by the library,
 * which knows every encoding, and go on as JSON: so they are held against the contract, set aside
 * and nested as the rows of any other feed. Our own tables are read with {@link DataFileReader},
 * which is many times faster.
 */
public record ParquetFormat(JsonFormat rows) implements RecordFormat {
  @Override
  public boolean seeks() {
    return true;
  }

  @Override
  public boolean decodes() {
    return true;
  }

  @Override
  public Chunker open(String file, InputStream in) {
    throw new UnsupportedOperationException("Parquet is read from files");
  }

  @Override
  public Chunker openFile(String file, Path location) throws IOException {
    return new ParquetChunker(file, location, FieldMap.straight(rows.rules().size()));
  }

  @Override
  public RecordParser parser(FieldMap fields) {
    return rows.parser(fields);
  }
}

package yardage.core.format.parquet;

import java.io.IOException;
import java.io.InputStream;
import java.util.ArrayList;
import java.util.List;
import yardage.core.format.json.JsonFormat;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RecordParser;
import yardage.core.storage.Place;

/**
 * Parquet files that others wrote, under a contract. Their rows are put together by the library,
 * which knows every encoding, and go on as JSON: so they are held against the contract, set aside
 * and nested as the rows of any other feed. Our own tables are read with {@link DataFileReader},
 * which is many times faster.
 */
public record ParquetFormat(JsonFormat rows) implements RecordFormat {
  private static final int SAMPLE_BYTES = 1 << 16;

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
  public Chunker openFile(String file, Place location) throws IOException {
    return new ParquetChunker(file, location, FieldMap.straight(rows.rules().size()));
  }

  @Override
  public RecordParser parser(FieldMap fields) {
    return rows.parser(fields);
  }

  /** The first rows of a file as JSON, for whoever looks at what is in it. */
  public static List<String> firstRows(String file, Place location, int most) throws IOException {
    ParquetChunker chunker = new ParquetChunker(file, location, FieldMap.straight(0));
    Chunk chunk = new Chunk(SAMPLE_BYTES);
    List<String> out = new ArrayList<>();
    while (out.size() < most && chunker.next(chunk)) {
      chunk.text(chunk.start, chunk.end).lines().limit(most - out.size()).forEach(out::add);
    }
    chunker.close();
    return out;
  }
}

package yardage.core.format.parquet;

import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.apache.parquet.PlainReadOptions;
import org.apache.parquet.column.page.PageReadStore;
import org.apache.parquet.example.data.Group;
import org.apache.parquet.example.data.simple.convert.GroupRecordConverter;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.io.ColumnIOFactory;
import org.apache.parquet.io.LocalInputFile;
import org.apache.parquet.io.RecordReader;
import org.apache.parquet.schema.MessageType;

/** Reads files with the format's own library: values, levels and records are all of its making. */
public final class TheirReader {
  private TheirReader() {}

  /** All records of a file, in order. */
  public static List<Group> read(Path file) throws IOException {
    List<Group> out = new ArrayList<>();
    try (ParquetFileReader reader =
        ParquetFileReader.open(new LocalInputFile(file), new PlainReadOptions(new PageCodecs()))) {
      MessageType schema = reader.getFooter().getFileMetaData().getSchema();
      for (PageReadStore pages = reader.readNextRowGroup();
          pages != null;
          pages = reader.readNextRowGroup()) {
        RecordReader<Group> records =
            new ColumnIOFactory()
                .getColumnIO(schema)
                .getRecordReader(pages, new GroupRecordConverter(schema));
        for (long r = 0; r < pages.getRowCount(); r++) {
          out.add(records.read());
        }
      }
    }
    return out;
  }
}

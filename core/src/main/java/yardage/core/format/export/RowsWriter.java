package yardage.core.format.export;

import java.io.IOException;
import yardage.core.column.Batch;

/** Writes rows to a stream, in the order in which they come. One thread at a time. */
public interface RowsWriter {
  void write(Batch batch) throws IOException;

  /** Writes what comes behind the last row; the stream stays open. */
  void finish() throws IOException;
}

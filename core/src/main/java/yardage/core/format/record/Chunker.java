package yardage.core.format.record;

import java.io.IOException;

/**
 * Cuts one stream into chunks of whole records, in order. Callers hold a lock: whatever can be done
 * by a {@link RecordParser} is not done here.
 */
public interface Chunker {
  /** Where the declared fields lie in this file. */
  FieldMap fields();

  /**
   * Fills {@code chunk} with the next records; false when there are none left.
   *
   * @throws yardage.core.format.FileFormatException when the file cannot be read on
   */
  boolean next(Chunk chunk) throws IOException;
}

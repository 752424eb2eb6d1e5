package yardage.core.format.record;

import java.io.IOException;
import java.util.Optional;

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

  /**
   * Once there are no records left: what kept them from being found, where the format looks for
   * them at a place of which the file has nothing; empty when the place was there.
   */
  default Optional<String> notFound() {
    return Optional.empty();
  }
}

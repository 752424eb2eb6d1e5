package yardage.core.format.record;

import java.util.List;

/**
 * A record that did not fit, as it arrived.
 *
 * @param line 1-based line on which the record starts
 * @param byteOffset 0-based offset of its first byte, in the file as inflated
 * @param original its bytes without the line end, as UTF-8 text; bytes that are not UTF-8 are shown
 *     as replacement characters, and a record that is too long is cut
 * @param failures what is wrong, field by field
 */
public record RejectedRecord(
    String file, long line, long byteOffset, String original, List<Failure> failures) {

  /** One thing wrong; {@code field} is empty when it is about the whole record. */
  public record Failure(String field, Reason reason, String message) {}

  public RejectedRecord {
    failures = List.copyOf(failures);
  }
}

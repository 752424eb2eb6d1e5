package yardage.core.document;

import java.util.Optional;

/**
 * Something wrong with a document, found without running it.
 *
 * @param code stable, for programs
 * @param step the step, or the column of a feed; empty when it is about the whole document
 * @param field the path of the value inside it, such as {@code join.on}
 * @param fix text to put in place of what stands at {@code place}
 */
public record Problem(
    Severity severity,
    String code,
    String step,
    String field,
    Place place,
    String message,
    Optional<String> fix) {
  /** An error keeps a document from running; a warning does not. */
  public enum Severity {
    ERROR,
    WARNING
  }
}

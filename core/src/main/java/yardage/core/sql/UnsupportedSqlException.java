package yardage.core.sql;

import java.util.Optional;

/**
 * SQL that is right but that the engine cannot do; the message says what to write instead where
 * there is something.
 */
public final class UnsupportedSqlException extends RuntimeException {
  private final String function;

  public UnsupportedSqlException(String message) {
    this(message, null);
  }

  private UnsupportedSqlException(String message, String function) {
    super(message);
    this.function = function;
  }

  /** The same, of a call of a function. */
  UnsupportedSqlException of(String function) {
    return new UnsupportedSqlException(getMessage(), function);
  }

  /** The function whose call it is, where that is known. */
  Optional<String> function() {
    return Optional.ofNullable(function);
  }
}

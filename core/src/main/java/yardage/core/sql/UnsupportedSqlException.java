package yardage.core.sql;

/**
 * SQL that is right but that the engine cannot do; the message says what to write instead where
 * there is something.
 */
public final class UnsupportedSqlException extends RuntimeException {
  public UnsupportedSqlException(String message) {
    super(message);
  }
}

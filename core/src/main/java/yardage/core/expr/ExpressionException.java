package yardage.core.expr;

/**
 * A value that an expression cannot compute; the message names the value and what would be allowed.
 */
public final class ExpressionException extends RuntimeException {
  public ExpressionException(String message) {
    super(message);
  }
}

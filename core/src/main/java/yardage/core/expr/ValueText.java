package yardage.core.expr;

/** How a value is written as text. Immutable data, so that it can be part of a plan. */
public interface ValueText {
  /**
   * @param value not null, as {@link yardage.core.column.Column#value} gives it
   */
  void append(Object value, StringBuilder out);
}

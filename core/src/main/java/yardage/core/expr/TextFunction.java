package yardage.core.expr;

import yardage.core.column.TextBuilder;

/** A function from text to text. Immutable data, so that it can be part of a plan. */
public interface TextFunction {
  /** Reads {@code bytes[start, end)}, which are UTF-8, and appends one value. */
  void apply(byte[] bytes, int start, int end, TextBuilder out);
}

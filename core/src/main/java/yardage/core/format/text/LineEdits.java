package yardage.core.format.text;

import java.nio.charset.StandardCharsets;

/**
 * What is done to the lines of a text before its records are read.
 *
 * @param carriageReturns whether a carriage return alone ends a line, as old systems write it
 * @param skipLast how many of the last lines are no records
 * @param rowsBegin how the lines that are records begin; all lines are when it is empty
 */
public record LineEdits(boolean carriageReturns, int skipLast, String rowsBegin) {
  public static final LineEdits NONE = new LineEdits(false, 0, "");

  public LineEdits {
    if (skipLast < 0 || skipLast > 1000) {
      throw new IllegalArgumentException(
          "Invalid skip-last-lines [%d]: 0 to 1000".formatted(skipLast));
    }
  }

  public boolean isNone() {
    return equals(NONE);
  }

  byte[] rowsBeginBytes() {
    return rowsBegin.getBytes(StandardCharsets.UTF_8);
  }
}

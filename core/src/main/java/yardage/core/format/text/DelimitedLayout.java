package yardage.core.format.text;

import java.nio.charset.StandardCharsets;

/**
 * How records and fields are told apart.
 *
 * @param separator one or more characters between fields
 * @param quote the quote character, or 0 for none; doubled inside quotes it stands for itself
 * @param escape a character that takes the meaning from the one after it, or 0 for none
 * @param comment lines that start so are skipped; empty for none
 * @param skipLines lines before the header or the first record that are skipped
 * @param header whether the first record names the fields
 * @param byPosition whether fields are told by their place although a header names them
 * @param fillShort whether a record with too few fields is taken, with nulls for the rest
 * @param cutLong whether a record with too many fields is taken, without the surplus
 * @param maxRecordBytes a longer record is set aside unread
 */
public record DelimitedLayout(
    String separator,
    char quote,
    char escape,
    String comment,
    int skipLines,
    boolean header,
    boolean byPosition,
    boolean fillShort,
    boolean cutLong,
    int maxRecordBytes) {
  public static final int DEFAULT_MAX_RECORD_BYTES = 4 << 20;

  public DelimitedLayout {
    if (separator.isEmpty()
        || separator.indexOf('\n') >= 0
        || separator.indexOf('\r') >= 0
        || separator.indexOf('\0') >= 0) {
      throw new IllegalArgumentException(
          "Invalid separator: it must have a character, and no line end or NUL");
    }
    checkCharacter("quote", quote, separator);
    checkCharacter("escape", escape, separator);
    if (quote != 0 && quote == escape) {
      throw new IllegalArgumentException(
          "Quote and escape are both [%s]; a doubled quote stands for itself without an escape"
              .formatted(quote));
    }
    if (comment.indexOf('\n') >= 0 || comment.isBlank() && !comment.isEmpty()) {
      throw new IllegalArgumentException(
          "Invalid comment [%s]: it must not be blank".formatted(comment));
    }
    if (skipLines < 0) {
      throw new IllegalArgumentException("Invalid skip-lines [%d]: 0 or more".formatted(skipLines));
    }
  }

  private static void checkCharacter(String what, char c, String separator) {
    if (c > 0x7e || c == '\n' || c == '\r') {
      throw new IllegalArgumentException(
          "Invalid %s [%s]: it must be one ASCII character".formatted(what, c));
    }
    if (c != 0 && separator.indexOf(c) >= 0) {
      throw new IllegalArgumentException(
          "Separator [%s] must not hold the %s [%s]".formatted(separator, what, c));
    }
  }

  public DelimitedLayout(String separator, char quote, boolean header) {
    this(separator, quote, (char) 0, "", 0, header, false, false, false, DEFAULT_MAX_RECORD_BYTES);
  }

  byte[] separatorBytes() {
    return separator.getBytes(StandardCharsets.UTF_8);
  }

  byte[] commentBytes() {
    return comment.getBytes(StandardCharsets.UTF_8);
  }
}

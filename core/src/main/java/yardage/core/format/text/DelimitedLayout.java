package yardage.core.format.text;

import java.nio.charset.StandardCharsets;

/**
 * How records and fields are told apart.
 *
 * @param separator one or more characters between fields
 * @param quote the quote character, or 0 for none; doubled inside quotes it stands for itself
 * @param header whether the first record names the fields
 * @param maxRecordBytes a longer record is set aside unread
 */
public record DelimitedLayout(String separator, char quote, boolean header, int maxRecordBytes) {
  public static final int DEFAULT_MAX_RECORD_BYTES = 4 << 20;

  public DelimitedLayout {
    if (separator.isEmpty()
        || separator.indexOf('\n') >= 0
        || separator.indexOf('\r') >= 0
        || separator.indexOf('\0') >= 0) {
      throw new IllegalArgumentException(
          "Invalid separator: it must have a character, and no line end or NUL");
    }
    if (quote > 0x7e || quote == '\n' || quote == '\r') {
      throw new IllegalArgumentException(
          "Invalid quote [%s]: it must be one ASCII character".formatted(quote));
    }
    if (quote != 0 && separator.indexOf(quote) >= 0) {
      throw new IllegalArgumentException(
          "Separator [%s] must not hold the quote [%s]".formatted(separator, quote));
    }
  }

  public DelimitedLayout(String separator, char quote, boolean header) {
    this(separator, quote, header, DEFAULT_MAX_RECORD_BYTES);
  }

  byte[] separatorBytes() {
    return separator.getBytes(StandardCharsets.UTF_8);
  }
}

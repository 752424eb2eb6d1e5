package yardage.core.format.text;

import java.io.IOException;
import java.io.InputStream;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import yardage.core.format.FileFormatException;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldMatch;

/**
 * Cuts delimited text: passes over what stands before the records, reads the header, and finds line
 * ends that no quote or escape takes into a field. Bytes without quotes and escapes are only looked
 * through for those.
 */
final class DelimitedChunker extends LineChunker {
  private final DelimitedLayout layout;
  private final byte[] separator;
  private final byte[] comment;
  private final byte quote;
  private final byte escape;

  DelimitedChunker(String file, InputStream in, DelimitedLayout layout, int rules, FieldMatch match)
      throws IOException {
    super(in, layout.maxRecordBytes(), FieldMap.straight(rules));
    this.layout = layout;
    this.separator = layout.separatorBytes();
    this.comment = layout.commentBytes();
    this.quote = (byte) layout.quote();
    this.escape = (byte) layout.escape();
    for (int i = 0; i < layout.skipLines(); i++) {
      readLine();
    }
    if (layout.header()) {
      readHeader(file, match);
    }
  }

  private void readHeader(String file, FieldMatch match) throws IOException {
    Optional<String> text = readLine();
    while (text.isPresent()
        && !layout.comment().isEmpty()
        && text.get().startsWith(layout.comment())) {
      text = readLine();
    }
    if (text.isEmpty()) {
      // A file without a byte has no header to miss: it holds no records, and that is all.
      return;
    }
    // A quoted name may hold a line end.
    Optional<List<String>> names = splitHeader(text.get(), false);
    while (names.isEmpty()) {
      Optional<String> more = readLine();
      text = Optional.of(text.get() + more.map(m -> "\n" + m).orElse(""));
      names = splitHeader(text.get(), more.isEmpty());
    }
    if (text.get().isBlank()) {
      throw new FileFormatException(
          "File [%s] has no header: its first line is empty, where the feed expects the column names; if the file has none, set header: false"
              .formatted(file));
    }
    setBefore(text.get());
    setFields(match.match(file, names.get()));
  }

  /** The names, or nothing when a quote is still open and more lines may close it. */
  private Optional<List<String>> splitHeader(String text, boolean whole) {
    List<String> out = new ArrayList<>();
    int at = 0;
    while (true) {
      int start = at;
      while (start < text.length() && text.charAt(start) == ' ') {
        start++;
      }
      int next;
      String name;
      if (quote != 0 && start < text.length() && text.charAt(start) == layout.quote()) {
        int close = start + 1;
        while (close < text.length()
            && (text.charAt(close) != quote
                || (close + 1 < text.length() && text.charAt(close + 1) == quote))) {
          close += text.charAt(close) == quote ? 2 : 1;
        }
        if (close >= text.length() && !whole) {
          return Optional.empty();
        }
        close = Math.min(close, text.length());
        String q = String.valueOf(layout.quote());
        name = text.substring(start + 1, close).replace(q + q, q);
        next = text.indexOf(layout.separator(), close);
      } else {
        next = text.indexOf(layout.separator(), at);
        name = next < 0 ? text.substring(at) : text.substring(at, next);
      }
      out.add(name.strip());
      if (next < 0) {
        return Optional.of(out);
      }
      at = next + layout.separator().length();
    }
  }

  @Override
  protected int recordsEnd(byte[] b, int end) {
    if ((quote == 0 || !holds(b, end, quote)) && (escape == 0 || !holds(b, end, escape))) {
      return super.recordsEnd(b, end);
    }
    int recordStart = 0;
    int fieldStart = 0;
    int at = 0;
    while (at < end) {
      if (at == recordStart && comment.length > 0 && startsWith(b, at, end, comment)) {
        int lineEnd = indexOf(b, (byte) '\n', at, end);
        if (lineEnd < 0) {
          return recordStart;
        }
        at = lineEnd + 1;
        recordStart = at;
        fieldStart = at;
        continue;
      }
      byte c = b[at];
      if (c == '\n') {
        at++;
        recordStart = at;
        fieldStart = at;
      } else if (escape != 0 && c == escape) {
        at += 2;
      } else if (quote != 0 && c == quote && at == fieldStart) {
        at = closing(b, at, end);
        if (at < 0) {
          return recordStart;
        }
        at++;
      } else if (c == separator[0] && startsWith(b, at, end, separator)) {
        at += separator.length;
        fieldStart = at;
      } else {
        at++;
      }
    }
    return recordStart;
  }

  /** The quote that closes the field which opens at {@code open}, or -1. */
  private int closing(byte[] b, int open, int end) {
    int at = open + 1;
    while (at < end) {
      if (escape != 0 && b[at] == escape) {
        at += 2;
      } else if (b[at] != quote) {
        at++;
      } else if (at + 1 < end && b[at + 1] == quote) {
        at += 2;
      } else {
        // A quote in the last byte may turn out to be the first of two.
        return at + 1 < end ? at : -1;
      }
    }
    return -1;
  }

  private static boolean holds(byte[] b, int end, byte what) {
    long pattern = (what & 0xffL) * LOW;
    int at = 0;
    for (; at + 8 <= end; at += 8) {
      if (match((long) LONG.get(b, at), pattern) != 0) {
        return true;
      }
    }
    return indexOf(b, what, at, end) >= 0;
  }
}

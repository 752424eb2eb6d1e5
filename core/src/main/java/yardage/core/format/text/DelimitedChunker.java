package yardage.core.format.text;

import java.io.IOException;
import java.io.InputStream;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import yardage.core.format.FileFormatException;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldMatch;
import yardage.core.format.record.Swar;

/**
 * Cuts delimited text: skips what stands before the records, reads the header, and finds line ends
 * that no quote or escape takes into a field. Bytes without quotes and escapes are only looked
 * through for those.
 */
final class DelimitedChunker extends LineChunker {
  private static final int LONGEST_HEADER_CHARS = 1 << 20;

  private final DelimitedLayout layout;
  private final byte[] separator;
  private final byte[] comment;
  private final byte quote;
  private final byte escape;

  /** The line ends in the quoted field that {@link #closing} went over last. */
  private int linesInQuotes;

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
    if (text.get().length() > LONGEST_HEADER_CHARS || text.get().indexOf('\0') >= 0) {
      throw new FileFormatException(
          "File [%s] is not delimited text with a header: its first line %s; look at the file, or set header: false"
              .formatted(
                  file,
                  text.get().indexOf('\0') >= 0
                      ? "holds NUL characters"
                      : "is longer than %,d characters".formatted(LONGEST_HEADER_CHARS)));
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
    if (quote != 0 && escape == 0 && separator.length == 1 && comment.length == 0) {
      return recordsEndByQuotes(b, end);
    }
    if ((quote == 0 || !holds(b, end, quote)) && (escape == 0 || !holds(b, end, escape))) {
      return super.recordsEnd(b, end);
    }
    return recordsEndStepwise(b, end);
  }

  /** Goes from line end to line end and over quoted fields. */
  private int recordsEndStepwise(byte[] b, int end) {
    // Only bytes that may end a record or begin a quoted field are stopped at, eight looked at at
    // once: byte by byte this was half of the time that a file takes.
    final boolean longSeparator = separator.length > 1;
    final long newlines = '\n' * Swar.LOW;
    final long quotes = ((quote == 0 ? '\n' : quote) & 0xffL) * Swar.LOW;
    final long escapes = ((escape == 0 ? '\n' : escape) & 0xffL) * Swar.LOW;
    final long separators = ((longSeparator ? separator[0] : '\n') & 0xffL) * Swar.LOW;
    int recordStart = 0;
    int fieldStart = 0;
    int at = skipComments(b, 0, end);
    if (at < 0) {
      return 0;
    }
    recordStart = at;
    fieldStart = at;
    scan:
    while (at < end) {
      long word = (long) Swar.LONG.get(b, at);
      long hits =
          Swar.match(word, newlines)
              | Swar.match(word, quotes)
              | Swar.match(word, escapes)
              | Swar.match(word, separators);
      int base = at;
      while (hits != 0) {
        int p = base + (Long.numberOfTrailingZeros(hits) >>> 3);
        hits &= hits - 1;
        if (p >= end) {
          break scan;
        }
        byte c = b[p];
        if (c == '\n') {
          recordStart = p + 1;
          fieldStart = recordStart;
          if (comment.length > 0) {
            at = skipComments(b, recordStart, end);
            if (at < 0) {
              return recordStart;
            }
            recordStart = at;
            fieldStart = at;
            continue scan;
          }
        } else if (escape != 0 && c == escape) {
          at = p + 2;
          continue scan;
        } else if (quote != 0 && c == quote) {
          boolean opens =
              longSeparator
                  ? p == fieldStart
                  : p == recordStart || b[p - 1] == separator[0] && !escaped(b, p - 1, recordStart);
          if (opens) {
            int close = closing(b, p, end);
            if (close < 0) {
              return recordStart;
            }
            at = close + 1;
            continue scan;
          }
        } else if (longSeparator && startsWith(b, p, end, separator)) {
          at = p + separator.length;
          fieldStart = at;
          continue scan;
        }
      }
      at = base + 8;
    }
    return recordStart;
  }

  /**
   * As {@link #recordsEnd}, where nothing but quotes hides a line end: looks for quotes, counts
   * line ends as it goes, and then goes back to the last one outside of quotes.
   */
  private int recordsEndByQuotes(byte[] b, int end) {
    final long newlines = Swar.pattern('\n');
    final long quotes = Swar.pattern(quote);
    final byte separator0 = separator[0];
    int lines = 0;
    int outside = 0;
    int stop = end;
    int at = 0;
    scan:
    while (at < end) {
      long word = (long) Swar.LONG.get(b, at);
      long ends = Swar.match(word, newlines);
      if ((Swar.roughMatch(word, quotes) & Swar.HIGH) == 0 && at + 8 <= end) {
        lines += Long.bitCount(ends);
        at += 8;
        continue;
      }
      long hits = Swar.match(word, quotes);
      if (at + 8 > end) {
        long within = (1L << (end - at << 3)) - 1;
        ends &= within;
        hits &= within;
      }
      while (hits != 0) {
        int bit = Long.numberOfTrailingZeros(hits);
        int p = at + (bit >>> 3);
        hits &= hits - 1;
        if (p == 0 || b[p - 1] == '\n' || b[p - 1] == separator0) {
          lines += Long.bitCount(ends & (1L << bit) - 1);
          int close = closing(b, p, end);
          if (close < 0) {
            stop = p;
            break scan;
          }
          lines += linesInQuotes;
          outside = close + 1;
          at = outside;
          continue scan;
        }
      }
      lines += Long.bitCount(ends);
      at += 8;
    }
    int recordsEnd = stop;
    while (recordsEnd > outside && b[recordsEnd - 1] != '\n') {
      recordsEnd--;
    }
    if (recordsEnd == outside && outside > 0) {
      // The last record is not whole, and a quote of it is: its beginning is not known from here.
      return recordsEndStepwise(b, end);
    }
    newlinesSeen = lines;
    return recordsEnd;
  }

  /** Whether an escape takes the meaning from the byte at {@code at}. */
  private boolean escaped(byte[] b, int at, int recordStart) {
    int escapes = 0;
    while (escape != 0 && at - 1 - escapes >= recordStart && b[at - 1 - escapes] == escape) {
      escapes++;
    }
    return (escapes & 1) != 0;
  }

  /** Behind the comment lines that start at {@code at}; -1 when one of them does not end. */
  private int skipComments(byte[] b, int at, int end) {
    int i = at;
    while (comment.length > 0 && startsWith(b, i, end, comment)) {
      int lineEnd = indexOf(b, (byte) '\n', i, end);
      if (lineEnd < 0) {
        return -1;
      }
      i = lineEnd + 1;
    }
    return i;
  }

  /**
   * The quote that closes the field which opens at {@code open}, or -1. Counts line ends on its way
   * where there are no escapes.
   */
  private int closing(byte[] b, int open, int end) {
    final long newlines = Swar.pattern('\n');
    final long quotes = Swar.pattern(quote);
    final long escapes = Swar.pattern(escape == 0 ? quote : escape);
    int lines = 0;
    int at = open + 1;
    while (at < end) {
      long word = (long) Swar.LONG.get(b, at);
      long hits = Swar.match(word, quotes) | Swar.match(word, escapes);
      long ends = Swar.match(word, newlines);
      if (hits == 0) {
        lines += Long.bitCount(ends);
        at += 8;
        continue;
      }
      int bit = Long.numberOfTrailingZeros(hits);
      lines += Long.bitCount(ends & (1L << bit) - 1);
      at += bit >>> 3;
      // A quote in the last byte may turn out to be the first of two.
      if (at + 1 >= end) {
        break;
      }
      if (b[at] == quote && b[at + 1] != quote) {
        linesInQuotes = lines;
        return at;
      }
      at += 2;
    }
    return -1;
  }

  private static boolean holds(byte[] b, int end, byte what) {
    return indexOf(b, what, 0, end) >= 0;
  }
}

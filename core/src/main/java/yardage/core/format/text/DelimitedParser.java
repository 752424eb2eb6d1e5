package yardage.core.format.text;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.Column;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldParser;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.FieldSpans;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RecordParser;
import yardage.core.format.record.RejectedRecord;
import yardage.core.format.record.StrayWriter;
import yardage.core.format.record.Swar;

/**
 * Reads chunks of delimited text into typed columns.
 *
 * <p>Two skips a chunk that stays in the cache: the first finds separators and line ends eight
 * bytes at a time and notes where fields end; the second reads one column after the other.
 */
final class DelimitedParser implements RecordParser, ParsedRecords.Places {
  /** The most fields whose ends are noted at once, so that they stay in the cache. */
  private static final int MOST_SPANS = 1 << 20;

  /**
   * Rows of a batch. Their text, the places of their fields and their columns stay in the second
   * cache; with four times as many, reading took a twelfth longer.
   */
  private static final int MOST_ROWS = 1 << 10;

  private static final long BLANKS = Swar.pattern(' ');

  private static final RejectedRecord.Failure AFTER_QUOTE =
      new RejectedRecord.Failure(
          "",
          Reason.TEXT_AFTER_QUOTE,
          "text follows a closing quote; a quote inside a quoted field must be doubled");

  private final byte[] separator;
  private final byte quote;
  private final byte escape;
  private final byte[] comment;
  private final boolean fillShort;
  private final boolean cutLong;
  private final int maxRecordBytes;
  private final int width;
  private final FieldParser[] parsers;
  private final StrayWriter strays;
  private final FieldSpans spans = new FieldSpans();
  private final FieldFailures failures = new FieldFailures();
  private final long[] rowLines;
  private final int[] rowEnds;

  private Chunk chunk;
  private RecordOutput output;
  private int position;
  private long line;

  DelimitedParser(DelimitedLayout layout, List<FieldRule> rules, FieldMap fields) {
    this.separator = layout.separatorBytes();
    this.quote = (byte) layout.quote();
    this.escape = (byte) layout.escape();
    this.comment = layout.commentBytes();
    this.fillShort = layout.fillShort();
    this.cutLong = layout.cutLong();
    this.maxRecordBytes = layout.maxRecordBytes();
    this.width = fields.width();
    FieldParser.Quoting quoting = new FieldParser.Quoting(quote, escape);
    this.parsers = new FieldParser[rules.size()];
    for (int i = 0; i < parsers.length; i++) {
      parsers[i] = new FieldParser(rules.get(i), fields.places().get(i), i, quoting);
    }
    this.strays = fields.strays().isEmpty() ? null : new StrayWriter(fields.strays(), quoting);
    int maxRows = Math.max(16, Math.min(MOST_ROWS, MOST_SPANS / Math.max(1, width)));
    spans.rowStarts = new int[maxRows + 1];
    spans.ends = new int[maxRows * width];
    spans.width = width;
    spans.separatorLength = separator.length;
    rowLines = new long[maxRows + 1];
    rowEnds = new int[maxRows + 1];
  }

  @Override
  public void parse(Chunk chunk, RecordOutput output) {
    this.chunk = chunk;
    this.output = output;
    if (chunk.defect != null) {
      reject(chunk.start, chunk.end, chunk.line, chunk.defect);
      return;
    }
    position = chunk.start;
    line = chunk.line;
    while (position < chunk.end) {
      int count = split();
      if (count > 0) {
        spans.count = count;
        spans.buffer = chunk.buffer;
        give();
      }
    }
  }

  private void give() {
    failures.clear();
    List<Column> columns = new ArrayList<>(parsers.length + 1);
    for (FieldParser parser : parsers) {
      columns.add(parser.parse(spans, failures));
    }
    if (strays != null) {
      columns.add(strays.write(spans));
    }
    output.records(new ParsedRecords(columns, spans.count, failures, this));
  }

  /**
   * Notes the ends of the fields of records from {@link #position} on, as many as fit a batch, and
   * moves it behind the last of them. Records with a wrong number of fields are rejected here.
   */
  private int split() {
    return separator.length == 1 && escape == 0 && comment.length == 0
        ? splitPlain()
        : splitSpecial();
  }

  /**
   * For a separator of one byte, without escapes and comments, as nearly all files have it. To find
   * the places first and go through them in a second loop took a quarter longer.
   */
  private int splitPlain() {
    final byte[] b = chunk.buffer;
    final int limit = chunk.end;
    final int[] ends = spans.ends;
    final int w = width;
    final byte separator0 = separator[0];
    final boolean quotes = quote != 0;
    final long separators = Swar.pattern(separator0);
    final long newlines = Swar.pattern('\n');
    final long quotePattern = quotes ? Swar.pattern(quote) : newlines;
    final int maxRows = spans.rowStarts.length - 1;
    int count = 0;
    int next = 0;
    int rowStart = position;
    int fieldStart = rowStart;
    int at = rowStart;
    long suspicious = 0;
    long lineAtRow = line;
    long lineNow = line;
    boolean badQuote = false;

    scan:
    while (at < limit) {
      long word = (long) Swar.LONG.get(b, at);
      if (at + 8 > limit) {
        long within = (1L << (limit - at << 3)) - 1;
        word = word & within | ~within & BLANKS;
      }
      long hits =
          (Swar.roughMatch(word, separators)
                  | Swar.roughMatch(word, newlines)
                  | Swar.roughMatch(word, quotePattern))
              & Swar.HIGH;
      suspicious |= word | Swar.roughMatch(word, 0);
      int base = at;
      while (hits != 0) {
        int p = base + (Long.numberOfTrailingZeros(hits) >>> 3);
        hits &= hits - 1;
        if (p >= limit) {
          break scan;
        }
        byte c = b[p];
        int last = count * w + w - 1;
        if (c == separator0) {
          if (next <= last) {
            ends[next] = p;
          }
          next++;
          fieldStart = p + 1;
        } else if (c == '\n') {
          int end = p > rowStart && b[p - 1] == '\r' ? p - 1 : p;
          if (next == last && !badQuote && end > rowStart) {
            ends[next] = Math.max(end, fieldStart);
            keep(count++, rowStart, end, lineAtRow);
          } else {
            int field = next - count * w;
            count = endRecord(count, rowStart, end, fieldStart, field, lineAtRow, badQuote);
          }
          lineNow++;
          rowStart = p + 1;
          fieldStart = rowStart;
          next = count * w;
          badQuote = false;
          lineAtRow = lineNow;
          if (count == maxRows) {
            break scan;
          }
        } else if (quotes && c == quote && p == fieldStart) {
          at = p + 1;
          while (true) {
            // The outer loop does not see these words.
            word = (long) Swar.LONG.get(b, at);
            suspicious |= word | Swar.roughMatch(word, 0);
            long closes = Swar.match(word, quotePattern);
            long lines = Swar.match(word, newlines);
            if (closes == 0 && at + 8 < limit) {
              lineNow += Long.bitCount(lines);
              at += 8;
              continue;
            }
            int bit = closes == 0 ? 63 : Long.numberOfTrailingZeros(closes);
            lineNow += Long.bitCount(lines & (1L << bit) - 1);
            at = Math.min(limit, at + (bit >>> 3) + 1);
            if (at >= limit || b[at] != quote) {
              break;
            }
            at++;
          }
          badQuote |= !(b[at] == '\n' || b[at] == '\r' || b[at] == separator0);
          continue scan;
        }
      }
      at = base + 8;
    }
    spans.suspicious = (suspicious & Swar.HIGH) != 0;
    position = rowStart;
    line = lineAtRow;
    return count;
  }

  private void keep(int row, int start, int end, long atLine) {
    spans.rowStarts[row] = start;
    rowEnds[row] = end;
    rowLines[row] = atLine;
  }

  /**
   * Keeps or rejects a record that may have too few or too many fields.
   *
   * @return how many records are kept now
   */
  private int endRecord(
      int count, int start, int end, int fieldStart, int field, long atLine, boolean badQuote) {
    if (end == start) {
      // An empty line is no record.
      return count;
    }
    if (badQuote) {
      reject(start, end, atLine, AFTER_QUOTE);
      return count;
    }
    if (field != width - 1 && !(field < width ? fillShort : cutLong)) {
      rejectFieldCount(start, end, atLine, field + 1);
      return count;
    }
    if (field < width) {
      int row = count * width;
      spans.ends[row + field] = Math.max(end, fieldStart);
      Arrays.fill(spans.ends, row + field + 1, row + width, -1);
    }
    keep(count, start, end, atLine);
    return count + 1;
  }

  private int splitSpecial() {
    final byte[] b = chunk.buffer;
    final int limit = chunk.end;
    final int[] ends = spans.ends;
    final int w = width;
    final byte separator0 = separator[0];
    final int separatorLength = separator.length;
    final long separatorPattern = (separator0 & 0xffL) * Swar.LOW;
    final long newlinePattern = '\n' * Swar.LOW;
    final long quotePattern = (quote & 0xffL) * Swar.LOW;
    final boolean quotes = quote != 0;
    final boolean escapes = escape != 0;
    final long escapePattern = (escape & 0xffL) * Swar.LOW;
    final boolean comments = comment.length > 0;
    final int maxRows = spans.rowStarts.length - 1;
    int count = 0;
    int rowStart = position;
    int fieldStart = rowStart;
    int field = 0;
    int at = rowStart;
    long suspicious = 0;
    long lineAtRow = line;
    long lineNow = line;
    boolean badQuote = false;
    spans.suspicious = false;

    scan:
    while (at < limit) {
      if (comments && at == rowStart && LineChunker.startsWith(b, at, limit, comment)) {
        at = LineChunker.indexOf(b, (byte) '\n', at, limit) + 1;
        rowStart = at;
        fieldStart = at;
        lineNow++;
        lineAtRow = lineNow;
        continue;
      }
      long word = (long) Swar.LONG.get(b, at);
      long hits = Swar.match(word, separatorPattern) | Swar.match(word, newlinePattern);
      if (quotes) {
        hits |= Swar.match(word, quotePattern);
      }
      if (escapes) {
        hits |= Swar.match(word, escapePattern);
      }
      suspicious |= (word & Swar.HIGH) | Swar.match(word, 0);
      int base = at;
      while (hits != 0) {
        int p = base + (Long.numberOfTrailingZeros(hits) >>> 3);
        hits &= hits - 1;
        if (p >= limit) {
          break scan;
        }
        byte c = b[p];
        if (c == '\n') {
          int end = p > rowStart && b[p - 1] == '\r' ? p - 1 : p;
          count = endRecord(count, rowStart, end, fieldStart, field, lineAtRow, badQuote);
          lineNow++;
          rowStart = p + 1;
          fieldStart = rowStart;
          field = 0;
          badQuote = false;
          lineAtRow = lineNow;
          if (count == maxRows) {
            break scan;
          }
          if (comments) {
            at = rowStart;
            continue scan;
          }
        } else if (escapes && c == escape) {
          lineNow += p + 1 < limit && b[p + 1] == '\n' ? 1 : 0;
          at = p + 2;
          continue scan;
        } else if (c == separator0 && (separatorLength == 1 || isSeparator(b, p))) {
          if (field < w) {
            ends[count * w + field] = p;
          }
          field++;
          fieldStart = p + separatorLength;
          if (separatorLength > 1) {
            at = fieldStart;
            continue scan;
          }
        } else if (quotes && c == quote && p == fieldStart) {
          int close = p + 1;
          int newlines = 0;
          while (true) {
            while (close < limit && b[close] != quote) {
              if (escapes && b[close] == escape) {
                close++;
              }
              newlines += b[close] == '\n' ? 1 : 0;
              // The words that the scan will not see.
              suspicious |= b[close] <= 0 ? Swar.HIGH : 0;
              close++;
            }
            if (close + 1 < limit && b[close + 1] == quote) {
              close += 2;
            } else {
              break;
            }
          }
          lineNow += newlines;
          int after = close + 1;
          badQuote |=
              !(b[after] == '\n'
                  || b[after] == '\r'
                  || (b[after] == separator0 && (separatorLength == 1 || isSeparator(b, after))));
          at = after;
          continue scan;
        }
      }
      at = base + 8;
    }
    spans.suspicious = suspicious != 0;
    position = rowStart;
    line = lineAtRow;
    return count;
  }

  private boolean isSeparator(byte[] b, int at) {
    for (int i = 1; i < separator.length; i++) {
      if (b[at + i] != separator[i]) {
        return false;
      }
    }
    return true;
  }

  private void rejectFieldCount(int start, int end, long atLine, int found) {
    Reason reason = found < width ? Reason.TOO_FEW_FIELDS : Reason.TOO_MANY_FIELDS;
    reject(
        start,
        end,
        atLine,
        new RejectedRecord.Failure(
            "",
            reason,
            "%d field%s where %d are declared".formatted(found, found == 1 ? "" : "s", width)));
  }

  private void reject(int start, int end, long atLine, RejectedRecord.Failure failure) {
    output.reject(
        new RejectedRecord(
            chunk.file,
            atLine,
            chunk.byteOffset + start,
            chunk.text(start, Math.min(end, start + maxRecordBytes)),
            List.of(failure)));
  }

  @Override
  public String file(int row) {
    return chunk.file;
  }

  @Override
  public long line(int row) {
    return rowLines[row];
  }

  @Override
  public long record(int row) {
    return -1;
  }

  @Override
  public long byteOffset(int row) {
    return chunk.byteOffset + spans.rowStarts[row];
  }

  @Override
  public String original(int row) {
    return chunk.text(spans.rowStarts[row], rowEnds[row]);
  }
}

package yardage.core.format.text;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Batch;
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

/**
 * Reads chunks of delimited text into typed columns.
 *
 * <p>Two passes over a chunk that stays in the cache: the first finds separators and line ends
 * eight bytes at a time and notes where fields end; the second reads one column after the other.
 */
final class DelimitedParser implements RecordParser, ParsedRecords.Places {
  /** The most fields whose ends are noted at once, so that they stay in the cache. */
  private static final int MOST_SPANS = 1 << 20;

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
    int maxRows = Math.max(16, Math.min(Batch.TARGET_ROWS, MOST_SPANS / Math.max(1, width)));
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
    output.records(new ParsedRecords(chunk.file, columns, spans.count, failures, this));
  }

  /**
   * Notes the ends of the fields of records from {@link #position} on, as many as fit a batch, and
   * moves it behind the last of them. Records with a wrong number of fields are rejected here.
   */
  private int split() {
    final byte[] b = chunk.buffer;
    final int limit = chunk.end;
    final int[] ends = spans.ends;
    final int w = width;
    final byte separator0 = separator[0];
    final int separatorLength = separator.length;
    final long separatorPattern = (separator0 & 0xffL) * LineChunker.LOW;
    final long newlinePattern = '\n' * LineChunker.LOW;
    final long quotePattern = (quote & 0xffL) * LineChunker.LOW;
    final boolean quotes = quote != 0;
    final boolean escapes = escape != 0;
    final long escapePattern = (escape & 0xffL) * LineChunker.LOW;
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
      long word = (long) LineChunker.LONG.get(b, at);
      long hits =
          LineChunker.match(word, separatorPattern) | LineChunker.match(word, newlinePattern);
      if (quotes) {
        hits |= LineChunker.match(word, quotePattern);
      }
      if (escapes) {
        hits |= LineChunker.match(word, escapePattern);
      }
      suspicious |= (word & LineChunker.HIGH) | LineChunker.match(word, 0);
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
          if (end == rowStart) {
            // An empty line is no record.
          } else if (badQuote) {
            reject(rowStart, end, lineAtRow, AFTER_QUOTE);
          } else if (field == w - 1 || (field < w ? fillShort : cutLong)) {
            if (field < w) {
              ends[count * w + field] = Math.max(end, fieldStart);
              for (int absent = field + 1; absent < w; absent++) {
                ends[count * w + absent] = -1;
              }
            }
            spans.rowStarts[count] = rowStart;
            rowEnds[count] = end;
            rowLines[count++] = lineAtRow;
          } else {
            rejectFieldCount(rowStart, end, lineAtRow, field + 1);
          }
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
              suspicious |= b[close] <= 0 ? LineChunker.HIGH : 0;
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

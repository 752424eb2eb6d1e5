package yardage.core.format.text;

import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.FieldParser;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.FieldSpans;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RecordParser;
import yardage.core.format.record.RejectedRecord;

/** Reads records that are lines, one by one; subclasses find the fields of a line. */
abstract class LineRecordParser implements RecordParser, ParsedRecords.Places {
  private final int width;
  private final FieldParser[] parsers;
  final FieldSpans spans = new FieldSpans();
  private final FieldFailures failures = new FieldFailures();
  private final long[] rowLines = new long[Batch.TARGET_ROWS];
  private final int[] rowEnds = new int[Batch.TARGET_ROWS];
  Chunk chunk;

  /** Why the line at hand does not fit; set by {@link #split} when it says so. */
  RejectedRecord.Failure failure;

  /**
   * @param places for each rule the field of a line that it reads
   */
  LineRecordParser(List<FieldRule> rules, int width, int[] places) {
    this.width = width;
    this.parsers = new FieldParser[rules.size()];
    for (int i = 0; i < parsers.length; i++) {
      parsers[i] = new FieldParser(rules.get(i), places[i], i, FieldParser.Quoting.NONE);
    }
    spans.rowStarts = new int[Batch.TARGET_ROWS];
    spans.starts = new int[Batch.TARGET_ROWS * width];
    spans.ends = new int[Batch.TARGET_ROWS * width];
    spans.width = width;
  }

  /**
   * Notes the fields of the line {@code [start, end)} in {@link #spans} from {@code at} on; false
   * with the failure set when it does not fit.
   */
  abstract boolean split(int start, int end, boolean ascii, int at);

  /** Whether the line at {@code next} belongs to the record before it. */
  boolean goesOn(byte[] b, int next, int limit) {
    return false;
  }

  @Override
  public final void parse(Chunk chunk, RecordOutput output) {
    this.chunk = chunk;
    if (chunk.defect != null) {
      reject(output, chunk.start, chunk.end, chunk.line, chunk.defect);
      return;
    }
    byte[] b = chunk.buffer;
    spans.buffer = b;
    spans.suspicious = false;
    int rows = 0;
    long line = chunk.line;
    int at = chunk.start;
    while (at < chunk.end) {
      int end = at;
      int mixed = 0;
      boolean nul = false;
      int lines = 1;
      while (true) {
        for (; b[end] != '\n'; end++) {
          mixed |= b[end];
          nul |= b[end] == 0;
        }
        if (!goesOn(b, end + 1, chunk.end)) {
          break;
        }
        lines++;
        end++;
      }
      int stop = end > at && b[end - 1] == '\r' ? end - 1 : end;
      if (stop > at) {
        spans.suspicious |= mixed < 0 || nul;
        if (split(at, stop, mixed >= 0, rows * width)) {
          spans.rowStarts[rows] = at;
          rowEnds[rows] = stop;
          rowLines[rows++] = line;
        } else {
          reject(output, at, stop, line, failure);
        }
      }
      line += lines;
      at = end + 1;
      if (rows == Batch.TARGET_ROWS) {
        give(output, rows);
        rows = 0;
      }
    }
    if (rows > 0) {
      give(output, rows);
    }
  }

  private void give(RecordOutput output, int rows) {
    failures.clear();
    spans.count = rows;
    List<Column> columns = new ArrayList<>(parsers.length);
    for (FieldParser parser : parsers) {
      columns.add(parser.parse(spans, failures));
    }
    output.records(new ParsedRecords(columns, rows, failures, this));
    spans.suspicious = false;
  }

  private void reject(
      RecordOutput output, int start, int end, long line, RejectedRecord.Failure why) {
    output.reject(
        new RejectedRecord(
            chunk.file, line, chunk.byteOffset + start, chunk.text(start, end), List.of(why)));
  }

  @Override
  public final String file(int row) {
    return chunk.file;
  }

  @Override
  public final long line(int row) {
    return rowLines[row];
  }

  @Override
  public final long record(int row) {
    return -1;
  }

  @Override
  public final long byteOffset(int row) {
    return chunk.byteOffset + spans.rowStarts[row];
  }

  @Override
  public final String original(int row) {
    return chunk.text(spans.rowStarts[row], rowEnds[row]);
  }
}

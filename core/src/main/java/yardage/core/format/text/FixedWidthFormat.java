package yardage.core.format.text;

import java.io.IOException;
import java.io.InputStream;
import java.util.List;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RecordParser;
import yardage.core.format.record.RejectedRecord;

/**
 * Lines whose fields stand at fixed characters. Characters are Unicode's code points, whatever
 * bytes they have.
 *
 * @param fields for each rule its first and last character, counted from 1
 * @param fillShort whether a line that ends before its last field is taken, with nulls for the rest
 * @param cutLong whether what a line has behind its last field is skipped; blanks always are
 */
public record FixedWidthFormat(
    List<FieldRule> rules, List<Range> fields, int skipLines, boolean fillShort, boolean cutLong)
    implements RecordFormat {

  /** Characters of a line, counted from 1, both inclusive. */
  public record Range(int first, int last) {}

  @Override
  public Chunker open(String file, InputStream in) throws IOException {
    return new SkippingChunker(in, skipLines, rules.size());
  }

  @Override
  public boolean joins() {
    return true;
  }

  @Override
  public RecordParser parser(FieldMap map) {
    int n = rules.size();
    int[] places = java.util.stream.IntStream.range(0, n).toArray();
    int needed = fields.stream().mapToInt(Range::first).max().orElse(1);
    int used = fields.stream().mapToInt(Range::last).max().orElse(0);
    return new LineRecordParser(rules, n, places) {
      @Override
      boolean split(int start, int end, boolean ascii, int at) {
        byte[] b = chunk.buffer;
        int length = ascii ? end - start : codePoints(b, start, end);
        if (length < needed && !fillShort) {
          failure =
              new RejectedRecord.Failure(
                  "",
                  Reason.TOO_FEW_FIELDS,
                  "%d character%s, and the last field starts at character %d"
                      .formatted(length, length == 1 ? "" : "s", needed));
          return false;
        }
        if (length > used && !cutLong && hasText(b, place(b, start, used, ascii), end)) {
          failure =
              new RejectedRecord.Failure(
                  "",
                  Reason.TOO_MANY_FIELDS,
                  "%d characters, and the last field ends at character %d; with long-rows: cut the rest is skipped"
                      .formatted(length, used));
          return false;
        }
        for (int f = 0; f < n; f++) {
          Range range = fields.get(f);
          int first = range.first() - 1;
          int last = Math.min(range.last(), length);
          spans.starts[at + f] = first >= length ? -1 : place(b, start, first, ascii);
          spans.ends[at + f] = first >= length ? -1 : place(b, start, last, ascii);
        }
        return true;
      }
    };
  }

  private static boolean hasText(byte[] b, int from, int end) {
    for (int i = from; i < end; i++) {
      if (b[i] != ' ' && b[i] != '\t') {
        return true;
      }
    }
    return false;
  }

  private static int codePoints(byte[] b, int start, int end) {
    int n = 0;
    for (int i = start; i < end; i++) {
      n += (b[i] & 0xC0) == 0x80 ? 0 : 1;
    }
    return n;
  }

  /** Where character {@code n} starts, counted from 0. */
  private static int place(byte[] b, int start, int n, boolean ascii) {
    if (ascii) {
      return start + n;
    }
    int i = start;
    for (int left = n; left > 0 || (b[i] & 0xC0) == 0x80; i++) {
      left -= (b[i] & 0xC0) == 0x80 ? 0 : 1;
      if (left < 0) {
        break;
      }
    }
    return i;
  }
}

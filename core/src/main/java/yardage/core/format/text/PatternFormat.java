package yardage.core.format.text;

import java.io.IOException;
import java.io.InputStream;
import java.util.List;
import java.util.Optional;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.Reason;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RecordParser;
import yardage.core.format.record.RejectedRecord;

/**
 * Lines that a pattern takes apart; those that it does not match are set aside.
 *
 * @param groups for each rule the named group that it reads
 */
public record PatternFormat(
    LinePattern pattern,
    int skipLines,
    Optional<RecordStart> begins,
    List<FieldRule> rules,
    List<String> groups)
    implements RecordFormat {

  @Override
  public Chunker open(String file, InputStream in) throws IOException {
    return new SkippingChunker(in, skipLines, rules.size(), begins);
  }

  @Override
  public boolean joins() {
    return true;
  }

  @Override
  public RecordParser parser(FieldMap fields) {
    int[] places = groups.stream().mapToInt(pattern.names()::indexOf).toArray();
    LinePattern.Lines lines = pattern.lines();
    return new LineRecordParser(rules, pattern.names().size(), places) {
      @Override
      boolean goesOn(byte[] b, int next, int limit) {
        return begins.isPresent()
            && next < limit
            && !begins.get().at(b, next, Math.max(next, LineChunker.lineEnd(b, next, limit)));
      }

      @Override
      boolean split(int start, int end, boolean ascii, int at) {
        if (lines.match(chunk.buffer, start, end, ascii, spans.starts, spans.ends, at)) {
          return true;
        }
        failure =
            new RejectedRecord.Failure("", Reason.NO_MATCH, "the line does not match the pattern");
        return false;
      }
    };
  }
}

package yardage.core.format.text;

import java.io.IOException;
import java.io.InputStream;
import java.util.List;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldMatch;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RecordParser;

/**
 * Delimited text, as RFC 4180 has it unless the layout says otherwise. Records end at LF or CR LF;
 * empty lines are skipped.
 *
 * @param match tells where the declared fields are in a header
 */
public record DelimitedFormat(DelimitedLayout layout, List<FieldRule> rules, FieldMatch match)
    implements RecordFormat {

  @Override
  public Chunker open(String file, InputStream in) throws IOException {
    return new DelimitedChunker(file, in, layout, rules.size(), match);
  }

  @Override
  public boolean joins() {
    return true;
  }

  @Override
  public RecordParser parser(FieldMap fields) {
    return new DelimitedParser(layout, rules, fields);
  }
}

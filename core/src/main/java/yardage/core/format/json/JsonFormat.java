package yardage.core.format.json;

import java.io.IOException;
import java.io.InputStream;
import java.util.List;
import yardage.core.format.record.Chunker;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.RecordFormat;
import yardage.core.format.record.RecordParser;
import yardage.core.format.text.LineChunker;

/**
 * JSON.
 *
 * @param paths for each rule where its value is in a record, such as {@code spinner.name} or {@code
 *     defects[0].kind}
 * @param keepStrays whether a last column keeps the members that no rule takes
 */
public record JsonFormat(
    JsonLayout layout, List<FieldRule> rules, List<String> paths, boolean keepStrays)
    implements RecordFormat {

  @Override
  public Chunker open(String file, InputStream in) throws IOException {
    FieldMap fields = FieldMap.straight(rules.size());
    return layout.kind() == JsonLayout.Kind.LINES
        ? new LineChunker(in, layout.maxRecordBytes(), fields)
        : new JsonChunker(file, in, layout, fields);
  }

  @Override
  public boolean joins() {
    return layout.kind() == JsonLayout.Kind.LINES;
  }

  @Override
  public RecordParser parser(FieldMap fields) {
    return new JsonParser(this);
  }
}

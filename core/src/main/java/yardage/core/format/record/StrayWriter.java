package yardage.core.format.record;

import java.nio.charset.StandardCharsets;
import java.util.List;
import yardage.core.column.Column;
import yardage.core.column.Json;
import yardage.core.column.TextBuilder;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;

/**
 * Keeps the values of fields that the contract does not name as one JSON object a record, texts
 * all; null for a record without any. One thread at a time.
 */
public final class StrayWriter {
  private final List<FieldMap.Stray> strays;
  private final FieldParser[] parsers;

  public StrayWriter(List<FieldMap.Stray> strays, FieldParser.Quoting quoting) {
    this.strays = strays;
    this.parsers = new FieldParser[strays.size()];
    for (int i = 0; i < parsers.length; i++) {
      FieldMap.Stray s = strays.get(i);
      parsers[i] = new FieldParser(FieldRule.of(s.name(), Type.VARCHAR), s.place(), i, quoting);
    }
  }

  public Column write(FieldSpans spans) {
    // What is not UTF-8 shows as replacement characters here; declared fields fail for it.
    FieldFailures passed = new FieldFailures();
    TextColumn[] values = new TextColumn[parsers.length];
    for (int i = 0; i < parsers.length; i++) {
      values[i] = (TextColumn) parsers[i].parse(spans, passed);
    }
    TextBuilder out = new TextBuilder();
    StringBuilder json = new StringBuilder();
    for (int r = 0; r < spans.count; r++) {
      json.setLength(0);
      for (int i = 0; i < values.length; i++) {
        if (!values[i].isNull(r)) {
          json.append(json.length() == 0 ? "{" : ",");
          Json.quote(strays.get(i).name(), json);
          json.append(':');
          Json.quote(values[i].value(r), json);
        }
      }
      if (json.length() == 0) {
        out.appendNull();
      } else {
        byte[] utf8 = json.append('}').toString().getBytes(StandardCharsets.UTF_8);
        out.append(utf8, 0, utf8.length);
      }
    }
    return out.build();
  }
}

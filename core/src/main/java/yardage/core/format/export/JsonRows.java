package yardage.core.format.export;

import java.io.IOException;
import java.io.OutputStream;
import java.io.OutputStreamWriter;
import java.io.Writer;
import java.nio.charset.StandardCharsets;
import yardage.core.column.Batch;
import yardage.core.column.Json;
import yardage.core.column.Schema;

/** One JSON object a line (RFC 8259), with every digit of numbers; nested values stay nested. */
public final class JsonRows implements RowsWriter {
  private final Writer out;
  private final String[] names;

  public JsonRows(Schema schema, OutputStream out) {
    this.out = new OutputStreamWriter(out, StandardCharsets.UTF_8);
    this.names = new String[schema.size()];
    for (int c = 0; c < names.length; c++) {
      StringBuilder name = new StringBuilder(c == 0 ? "{" : ",");
      Json.quote(schema.field(c).name(), name);
      names[c] = name.append(':').toString();
    }
  }

  @Override
  public void write(Batch batch) throws IOException {
    StringBuilder line = new StringBuilder();
    for (int r = 0; r < batch.rowCount(); r++) {
      line.setLength(0);
      for (int c = 0; c < names.length; c++) {
        line.append(names[c]);
        Json.write(batch.column(c).value(r), line);
      }
      out.append(line).append("}\n");
    }
  }

  @Override
  public void finish() throws IOException {
    out.flush();
  }
}

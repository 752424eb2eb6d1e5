package yardage.core.format.export;

import java.io.IOException;
import java.io.OutputStream;
import java.io.OutputStreamWriter;
import java.io.Writer;
import java.nio.charset.StandardCharsets;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Schema;
import yardage.core.column.TextColumn;
import yardage.core.column.Values;

/**
 * Delimited text as RFC 4180 has it, in UTF-8, with a header. A null is nothing and an empty text
 * is quoted, so that the two can be told apart.
 */
public final class DelimitedRows implements RowsWriter {
  private final Writer out;
  private final boolean asIs;

  /**
   * @param asIs whether text that a spreadsheet would take for a formula stays as it is; otherwise
   *     it gets an apostrophe in front
   */
  public DelimitedRows(Schema schema, OutputStream out, boolean asIs) throws IOException {
    this.out = new OutputStreamWriter(out, StandardCharsets.UTF_8);
    this.asIs = asIs;
    for (int c = 0; c < schema.size(); c++) {
      this.out.write(c > 0 ? "," : "");
      String name = schema.field(c).name();
      text(asIs ? name : harmless(name));
    }
    this.out.write("\r\n");
  }

  @Override
  public void write(Batch batch) throws IOException {
    for (int r = 0; r < batch.rowCount(); r++) {
      for (int c = 0; c < batch.columns().size(); c++) {
        out.write(c > 0 ? "," : "");
        Column column = batch.column(c);
        if (!column.isNull(r)) {
          String value = Values.text(column.value(r));
          text(column instanceof TextColumn && !asIs ? harmless(value) : value);
        }
      }
      out.write("\r\n");
    }
  }

  /** A text that no spreadsheet runs. */
  public static String harmless(String text) {
    boolean formula =
        !text.isEmpty() && "=+-@\t\r\uff1d\uff0b\uff0d\uff20".indexOf(text.charAt(0)) >= 0;
    return formula ? "'" + text : text;
  }

  private void text(String value) throws IOException {
    boolean quoted =
        value.isEmpty()
            || value.chars().anyMatch(c -> c == ',' || c == '"' || c == '\n' || c == '\r');
    out.write(quoted ? '"' + value.replace("\"", "\"\"") + '"' : value);
  }

  @Override
  public void finish() throws IOException {
    out.flush();
  }
}

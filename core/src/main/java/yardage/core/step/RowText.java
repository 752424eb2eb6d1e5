package yardage.core.step;

import yardage.core.column.Batch;
import yardage.core.column.Json;
import yardage.core.column.Schema;

/** Rows as JSON, for people who look at what was set aside. */
final class RowText {
  private RowText() {}

  /**
   * @param schema names the first columns of the batch; further ones are not shown
   */
  static String json(Schema schema, Batch batch, int row) {
    StringBuilder out = new StringBuilder("{");
    for (int c = 0; c < schema.size(); c++) {
      out.append(c > 0 ? "," : "");
      Json.quote(schema.field(c).name(), out);
      out.append(':');
      Json.write(batch.column(c).value(row), out);
    }
    return out.append('}').toString();
  }
}

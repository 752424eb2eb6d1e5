package yardage.core.format.parquet;

import java.io.IOException;
import java.util.Optional;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Type;
import yardage.core.format.FileFormatException;

/** One column of a row group, read page by page and given in runs of rows. One thread at a time. */
abstract class PagedColumn {
  private final Type type;
  private final String name;
  private Column pending;
  private int pendingFrom;

  PagedColumn(Type type, String name) {
    this.type = type;
    this.name = name;
  }

  /** The rows of the next page; empty at the end of the chunk. */
  abstract Optional<Column> readPage() throws IOException;

  /**
   * Rows left in the page at hand, reading the next one if there is none; 0 at the end of the
   * chunk.
   */
  final int available() throws IOException {
    while (pending == null || pendingFrom == pending.size()) {
      Optional<Column> page = readPage();
      if (page.isEmpty()) {
        return 0;
      }
      pending = page.get();
      pendingFrom = 0;
    }
    return pending.size() - pendingFrom;
  }

  /** The next {@code rows} rows, which may span pages. */
  final Column next(int rows) throws IOException {
    int available = available();
    if (available >= rows) {
      Column out =
          pendingFrom == 0 && rows == pending.size() ? pending : slice(pending, pendingFrom, rows);
      pendingFrom += rows;
      return out;
    }
    ColumnBuilder builder = ColumnBuilder.of(type);
    while (rows > 0) {
      int n = Math.min(rows, available());
      if (n == 0) {
        throw new FileFormatException(
            "Column [%s] ends %d rows before the others".formatted(name, rows));
      }
      builder.appendAll(slice(pending, pendingFrom, n));
      pendingFrom += n;
      rows -= n;
    }
    return builder.build();
  }

  private static Column slice(Column column, int from, int count) {
    int[] rows = new int[count];
    for (int i = 0; i < count; i++) {
      rows[i] = from + i;
    }
    return column.gather(rows, count);
  }
}

package yardage.core.exec;

import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;

/**
 * Puts the same texts of a column into one entry each, where there are few of them: what is asked
 * of texts is then asked once for each entry. Columns with many texts are left as they are, and
 * found out soon.
 */
final class SharedTexts {
  /** From here on comparing by entry gains little. */
  private static final int MOST_ENTRIES = 256;

  private SharedTexts() {}

  /** A column with the same values. */
  static Column of(Column column) {
    return column instanceof TextColumn text
            && text.size() > MOST_ENTRIES
            && (text.codes() == null || text.entryCount() > MOST_ENTRIES)
        ? shared(text)
        : column;
  }

  private static TextColumn shared(TextColumn text) {
    KeyTable entries = new KeyTable(new Type[] {text.type()});
    int[] codes = new int[text.size()];
    int[] rows = new int[Batch.TARGET_ROWS];
    int[] numbers = new int[Batch.TARGET_ROWS];
    for (int from = 0; from < codes.length; from += Batch.TARGET_ROWS) {
      int to = Math.min(codes.length, from + Batch.TARGET_ROWS);
      int n = 0;
      for (int r = from; r < to; r++) {
        rows[n] = r;
        n += text.isNull(r) ? 0 : 1;
      }
      entries.numberOf(new Column[] {text.gather(rows, n)}, n, numbers);
      if (entries.count() > MOST_ENTRIES) {
        return text;
      }
      for (int i = 0; i < n; i++) {
        codes[rows[i]] = numbers[i];
      }
    }
    int count = entries.count();
    if (count == 0) {
      return text;
    }
    TextColumn once = (TextColumn) entries.build()[0];
    return TextColumn.coded(once.bytes(), once.offsets(), count, codes, text.nulls(), codes.length)
        .as(text.type());
  }
}

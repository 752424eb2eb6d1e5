package yardage.core.column;

import java.util.Arrays;

/**
 * Puts the same texts of a column into one entry each, where there are few of them: what is asked
 * of texts is then asked once for each entry. Columns with many texts are left as they are, and
 * found out soon.
 */
public final class SharedTexts {
  /** From here on comparing by entry gains little. */
  private static final int MOST_ENTRIES = 256;

  private static final int SLOTS = 4 * MOST_ENTRIES;

  private SharedTexts() {}

  /** A column with the same values. */
  public static Column of(Column column) {
    return column instanceof TextColumn text
            && text.size() > MOST_ENTRIES
            && (text.codes() == null || text.entryCount() > MOST_ENTRIES)
        ? shared(text)
        : column;
  }

  private static TextColumn shared(TextColumn text) {
    byte[] bytes = text.bytes();
    int[] slots = new int[SLOTS];
    Arrays.fill(slots, -1);
    int[] rowOf = new int[MOST_ENTRIES];
    int[] codes = new int[text.size()];
    boolean nulls = text.hasNulls();
    int entries = 0;
    for (int r = 0; r < codes.length; r++) {
      if (nulls && text.isNull(r)) {
        continue;
      }
      int start = text.start(r);
      int end = text.end(r);
      int hash = end - start;
      for (int i = start; i < end; i++) {
        hash = hash * 31 + bytes[i];
      }
      int at = (hash * 0x9E3779B1) >>> 32 - Integer.numberOfTrailingZeros(SLOTS);
      while (slots[at] >= 0 && !text.equalAt(r, text, rowOf[slots[at]])) {
        at = at + 1 & SLOTS - 1;
      }
      if (slots[at] < 0) {
        if (entries == MOST_ENTRIES) {
          return text;
        }
        slots[at] = entries;
        rowOf[entries++] = r;
      }
      codes[r] = slots[at];
    }
    TextBuilder builder = new TextBuilder();
    builder.append(text, rowOf, 0, entries);
    if (entries == 0) {
      // All are null: they have an entry all the same.
      builder.append(new byte[0], 0, 0);
    }
    TextColumn made = builder.build();
    return TextColumn.coded(
            made.bytes(), made.offsets(), Math.max(1, entries), codes, text.nulls(), codes.length)
        .as(text.type());
  }
}

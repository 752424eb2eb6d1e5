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
  private Page page;
  private int from;
  private Column all;
  private boolean isUsed;
  private long used;
  private long unused;

  PagedColumn(Type type, String name) {
    this.type = type;
    this.name = name;
  }

  /** Rows that are decoded when they are asked for; those of the page before are not any more. */
  interface Page {
    int rows();

    Column all();

    /** Some of the rows, by their places. */
    default Column some(int[] places, int n) {
      return all().gather(places, n);
    }

    /**
     * Which of some rows have a value that meets a condition.
     *
     * @param out takes their places; may be {@code places} itself
     * @return how many; {@code n} where it cannot be told without much work
     */
    default int meeting(ValueTest test, int[] places, int n, int[] out) {
      System.arraycopy(places, 0, out, 0, n);
      return n;
    }
  }

  /** The next page; empty at the end of the chunk. */
  abstract Optional<Page> readPage() throws IOException;

  /**
   * Rows left in the page at hand, reading the next one if there is none; 0 at the end of the
   * chunk.
   */
  final int available() throws IOException {
    while (page == null || from == page.rows()) {
      Optional<Page> next = readPage();
      if (next.isEmpty()) {
        return 0;
      }
      leave();
      page = next.get();
      all = null;
      from = 0;
    }
    return page.rows() - from;
  }

  private void leave() {
    used += page != null && isUsed ? 1 : 0;
    unused += page != null && !isUsed ? 1 : 0;
    isUsed = false;
  }

  /** How many pages had values that were looked at, once all rows are taken. */
  final long usedPages() {
    return used + (page != null && isUsed ? 1 : 0);
  }

  /** How many pages had none. */
  final long unusedPages() {
    return unused + (page != null && !isUsed ? 1 : 0);
  }

  /** The next {@code rows} rows, which may span pages. */
  final Column next(int rows) throws IOException {
    if (available() >= rows) {
      return take(rows);
    }
    ColumnBuilder builder = ColumnBuilder.of(type);
    while (rows > 0) {
      int n = Math.min(rows, here(rows));
      builder.appendAll(take(n));
      rows -= n;
    }
    return builder.build();
  }

  /** Of the next {@code rows} rows, which are taken, those at {@code n} places. */
  final Column next(int rows, int[] places, int n) throws IOException {
    if (isPage(rows)) {
      from = rows;
      isUsed = true;
      return page.some(places, n);
    }
    return next(rows).gather(places, n);
  }

  /** Takes the next {@code rows} rows, and decodes none of them. */
  final void skip(int rows) throws IOException {
    while (rows > 0) {
      int n = Math.min(rows, here(rows));
      from += n;
      rows -= n;
    }
  }

  /** As {@link #skip}; pages that end there are not told of. */
  final void pass(int rows) throws IOException {
    skip(rows);
    unused = 0;
    page = page != null && from == page.rows() ? null : page;
  }

  /** As {@link Page#meeting}, of the next {@code rows} rows, which are not taken by this. */
  final int meeting(int rows, ValueTest test, int[] places, int n, int[] out) throws IOException {
    if (isPage(rows)) {
      isUsed = true;
      if (test instanceof ValueTest.First first) {
        all = all == null ? page.all() : all;
        return first.meeting(all, places, n, out);
      }
      return page.meeting(test, places, n, out);
    }
    System.arraycopy(places, 0, out, 0, n);
    return n;
  }

  private boolean isPage(int rows) throws IOException {
    return available() == rows && from == 0;
  }

  private int here(int wanted) throws IOException {
    int available = available();
    if (available == 0) {
      throw new FileFormatException(
          "Column [%s] ends %d rows before the others".formatted(name, wanted));
    }
    return available;
  }

  /** The next {@code count} rows, which this page has. */
  private Column take(int count) {
    all = all == null ? page.all() : all;
    isUsed = true;
    int begin = from;
    from += count;
    if (begin == 0 && count == page.rows()) {
      return all;
    }
    int[] rows = new int[count];
    for (int i = 0; i < count; i++) {
      rows[i] = begin + i;
    }
    return all.gather(rows, count);
  }
}

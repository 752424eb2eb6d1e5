package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.atomic.LongAdder;
import yardage.core.column.*;

/**
 * The right rows of a join, or some of them, by key. Rows of one key form a chain: {@code
 * firstOf[key]}, then {@code nextOf[row]}. Built by one thread, then probed by many.
 */
final class JoinTable {
  /** What a row takes beside its columns and its key, at most: slots, two links, a mark. */
  private static final int ROW_BYTES = 33;

  final List<Column> columns;
  final int rowCount;
  private final Optional<DenseKeys> dense;
  private final KeyTable keys;
  private int[] firstOf;
  private final int[] nextOf;
  private boolean unique = true;
  private boolean numbersAreRows = true;

  /** Whether a right row has matched; null when nobody asks. */
  final byte[] matched;

  /** Pairs that were given, of all that matched. */
  final LongAdder pairsGiven = new LongAdder();

  /**
   * @param columns all right rows
   * @param keyOrdinals the columns that hold the key; a row with a null there matches nothing
   * @param marks whether to remember which rows have matched
   */
  JoinTable(
      List<Column> columns, int rowCount, int[] keyOrdinals, boolean marks, CancelToken cancel) {
    this.columns = new ArrayList<>(columns);
    this.rowCount = rowCount;
    Column[] key = Arrays.stream(keyOrdinals).mapToObj(columns::get).toArray(Column[]::new);
    dense = DenseKeys.of(key, rowCount);
    keys = new KeyTable(Arrays.stream(key).map(Column::type).toArray(Type[]::new));
    firstOf = new int[dense.map(DenseKeys::count).orElse(1024)];
    nextOf = new int[rowCount];
    Arrays.fill(firstOf, -1);
    int[] numbers = new int[Batch.TARGET_ROWS];
    for (int from = 0; from < rowCount; from += Batch.TARGET_ROWS) {
      cancel.check();
      int to = Math.min(rowCount, from + Batch.TARGET_ROWS);
      int[] chosen = new int[to - from];
      int n = 0;
      for (int r = from; r < to; r++) {
        chosen[n] = r;
        n += anyNull(key, r) ? 0 : 1;
      }
      number(key, chosen, n, numbers);
      for (int i = 0; i < n; i++) {
        int k = numbers[i];
        unique &= firstOf[k] < 0;
        numbersAreRows &= k == chosen[i];
        nextOf[chosen[i]] = firstOf[k];
        firstOf[k] = chosen[i];
      }
    }
    matched = marks ? new byte[rowCount] : null;
  }

  private void number(Column[] key, int[] chosen, int count, int[] numbers) {
    Column[] some = Arrays.stream(key).map(k -> k.gather(chosen, count)).toArray(Column[]::new);
    if (dense.isPresent()) {
      dense.get().numbers(some[0], count, numbers);
      return;
    }
    int before = keys.count();
    keys.numberOf(some, count, numbers);
    if (keys.count() > firstOf.length) {
      firstOf = Arrays.copyOf(firstOf, Math.max(keys.count(), firstOf.length * 2));
    }
    Arrays.fill(firstOf, before, keys.count(), -1);
  }

  /**
   * The bytes that a table of some rows takes at most, beside the rows.
   *
   * @param keyBytes of the rows' keys
   */
  static long neededBytes(long rows, long keyBytes) {
    return ROW_BYTES * rows + keyBytes + (keyBytes >> 1) + (1 << 14);
  }

  private static boolean anyNull(Column[] keys, int row) {
    for (Column key : keys) {
      if (key.isNull(row)) {
        return true;
      }
    }
    return false;
  }

  /**
   * Puts the same texts into one entry each, before anybody probes: texts that rows are grouped by
   * after a join were hashed once for each right row and batch, a third of the time.
   */
  void shareTexts() {
    columns.replaceAll(SharedTexts::of);
  }

  /** Whether no key has two rows. */
  boolean isUnique() {
    return unique;
  }

  /** Whether the number of a key is that of its one row. */
  boolean numbersAreRows() {
    return numbersAreRows && unique && dense.map(d -> d.count() == rowCount).orElse(true);
  }

  /**
   * The numbers of the rows' keys into {@code out}; -1 where it is not there, or has a null. A
   * number may be of no row: {@link #first} says so.
   */
  void find(Column[] columns, int rows, int[] out, KeyTable.Scratch scratch) {
    if (dense.isPresent()) {
      dense.get().numbers(columns[0], rows, out);
    } else {
      keys.find(columns, rows, out, scratch);
    }
    for (Column key : columns) {
      if (key.hasNulls()) {
        for (int i = 0; i < rows; i++) {
          out[i] = key.isNull(i) ? -1 : out[i];
        }
      }
    }
  }

  /** The last row of a key's number, or -1. */
  int first(int key) {
    return firstOf[key];
  }

  /** The row of the same key behind a row, or -1. */
  int next(int row) {
    return nextOf[row];
  }

  /** The rows that something matched, or that nothing did. */
  int[] rows(boolean wanted) {
    int[] rows = new int[rowCount];
    int n = 0;
    for (int r = 0; r < rowCount; r++) {
      rows[n] = r;
      n += wanted ? matched[r] : 1 - matched[r];
    }
    return Arrays.copyOf(rows, n);
  }
}

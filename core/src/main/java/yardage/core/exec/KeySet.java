package yardage.core.exec;

import java.util.Arrays;
import java.util.stream.Collectors;
import yardage.core.column.Column;
import yardage.core.column.Type;
import yardage.core.column.Values;

/** Keys that many workers add, each at most once, and that many look for afterwards. */
public final class KeySet {
  private final KeyTable table;
  private int[] numbers = new int[0];

  public KeySet(Type[] types) {
    table = new KeyTable(types);
  }

  /**
   * Adds the rows' keys.
   *
   * @throws IllegalArgumentException naming a key that has a null, or that was added before
   */
  public synchronized void add(Column[] keys, int rows) {
    if (numbers.length < rows) {
      numbers = new int[rows];
    }
    int before = table.count();
    table.numberOf(keys, rows, numbers);
    for (int r = 0; r < rows; r++) {
      for (Column key : keys) {
        if (key.isNull(r)) {
          throw new IllegalArgumentException("a row has no value in its key: " + text(keys, r));
        }
      }
    }
    if (table.count() - before < rows) {
      boolean[] seen = new boolean[table.count()];
      for (int r = 0; r < rows; r++) {
        if (numbers[r] < before || seen[numbers[r]]) {
          throw new IllegalArgumentException("several rows have the key " + text(keys, r));
        }
        seen[numbers[r]] = true;
      }
    }
  }

  private static String text(Column[] keys, int row) {
    return Arrays.stream(keys)
        .map(k -> k.isNull(row) ? "null" : Values.text(k.value(row)))
        .collect(Collectors.joining(", ", "[", "]"));
  }

  public synchronized long sizeBytes() {
    return table.sizeBytes();
  }

  /** Looks for keys; one for each worker, once nothing is added any more. */
  public final class Finder {
    private final KeyTable.Scratch scratch = new KeyTable.Scratch();
    private int[] found = new int[0];

    /** Writes the rows whose key is not in the set into {@code out}, and gives how many. */
    public int missing(Column[] keys, int rows, int[] out) {
      if (found.length < rows) {
        found = new int[rows];
      }
      table.find(keys, rows, found, scratch);
      int n = 0;
      for (int r = 0; r < rows; r++) {
        if (found[r] < 0) {
          out[n++] = r;
        }
      }
      return n;
    }
  }
}

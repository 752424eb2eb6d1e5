package yardage.core.exec;

import yardage.core.column.Column;
import yardage.core.column.Type;

/** Numbers distinct keys for users outside this package. One thread at a time. */
public final class KeyNumbers {
  private final KeyTable table;
  private int[] numbers = new int[0];

  public KeyNumbers(Type[] types) {
    table = new KeyTable(types);
  }

  /**
   * A number per row, the same for equal keys, counted from 0 without a gap; keys of later calls
   * have larger ones. Valid until the next call.
   */
  public int[] numberOf(Column[] keys, int rows) {
    if (numbers.length < rows) {
      numbers = new int[rows];
    }
    table.numberOf(keys, rows, numbers);
    return numbers;
  }

  /**
   * The first row of each key that the last call of {@link #numberOf} found new, by number.
   *
   * @param before how many keys were seen before it
   */
  public int[] firstRows(int before, int rows) {
    return table.firstRows(before, numbers, rows);
  }

  /** How many distinct keys were seen. */
  public int count() {
    return table.count();
  }
}

package yardage.core.exec;

import java.util.Arrays;

/**
 * The rows of a batch in the order of small numbers that they have, such as those of parts; rows of
 * one number stay in their order (counting sort). One thread at a time; reusable.
 */
public final class RowsByNumber {
  private int[] starts = new int[0];
  private int[] order = new int[0];
  private int[] next = new int[0];

  /**
   * @param number of each row
   * @param numbers how many there are, from 0
   */
  public void sort(int[] number, int rows, int numbers) {
    if (starts.length <= numbers) {
      starts = new int[numbers + 1];
      next = new int[numbers + 1];
    }
    if (order.length < rows) {
      order = new int[rows];
    }
    Arrays.fill(starts, 0, numbers + 1, 0);
    for (int i = 0; i < rows; i++) {
      starts[number[i] + 1]++;
    }
    for (int n = 0; n < numbers; n++) {
      starts[n + 1] += starts[n];
    }
    System.arraycopy(starts, 0, next, 0, numbers);
    for (int i = 0; i < rows; i++) {
      order[next[number[i]]++] = i;
    }
  }

  /** The rows, those of each number side by side. */
  public int[] order() {
    return order;
  }

  /** Where the rows of a number begin in {@link #order}; those of the next one end them. */
  public int start(int number) {
    return starts[number];
  }
}

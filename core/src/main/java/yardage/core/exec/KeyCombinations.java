package yardage.core.exec;

import java.util.Arrays;
import yardage.core.column.Column;
import yardage.core.column.TextColumn;

/**
 * The keys of a batch where they are texts with few entries: each combination of entries stands for
 * all its rows, so that a table of keys is asked once for each. A sum by two texts of 4 and 36
 * entries spent 40 % of its time in hashing and comparing them for each row.
 */
final class KeyCombinations {
  /** A combination for every four rows at most, on average. */
  private static final int LEAST_ROWS = 4;

  /** For each row the place of its combination among those that occur. */
  private int[] places = new int[0];

  private int[] placeOf = new int[0];
  private int[] firstRows = new int[0];
  private int count;

  /** Whether the rows are few combinations; they are known then. */
  boolean isFew(Column[] columns, int rows) {
    int all = combinations(columns, rows);
    if (all == 0) {
      return false;
    }
    if (places.length < rows) {
      places = new int[rows];
    }
    if (placeOf.length < all) {
      placeOf = new int[all];
      firstRows = new int[all];
    }
    Arrays.fill(placeOf, 0, all, -1);
    combine(columns, rows);
    count = 0;
    for (int i = 0; i < rows; i++) {
      int place = placeOf[places[i]];
      if (place < 0) {
        place = count++;
        placeOf[places[i]] = place;
        firstRows[place] = i;
      }
      places[i] = place;
    }
    return true;
  }

  /** How many combinations there may be; 0 for too many. */
  private static int combinations(Column[] columns, int rows) {
    long all = 1;
    for (Column column : columns) {
      if (!(column instanceof TextColumn text) || !text.isDictionary()) {
        return 0;
      }
      all *= text.entryCount() + 1L;
      if (all * LEAST_ROWS > rows) {
        return 0;
      }
    }
    return columns.length == 0 ? 0 : (int) all;
  }

  /** Null is the entry behind all others. */
  private void combine(Column[] columns, int rows) {
    Arrays.fill(places, 0, rows, 0);
    for (Column column : columns) {
      TextColumn text = (TextColumn) column;
      int[] codes = text.codes();
      int entries = text.entryCount() + 1;
      if (text.hasNulls()) {
        for (int i = 0; i < rows; i++) {
          places[i] = places[i] * entries + (text.isNull(i) ? entries - 1 : codes[i]);
        }
      } else {
        for (int i = 0; i < rows; i++) {
          places[i] = places[i] * entries + codes[i];
        }
      }
    }
  }

  /** How many combinations occur. */
  int count() {
    return count;
  }

  /** The first row of each combination, in the order in which they are seen. */
  Column[] keys(Column[] columns) {
    return Arrays.stream(columns).map(c -> c.gather(firstRows, count)).toArray(Column[]::new);
  }

  /**
   * Gives each row what its combination has.
   *
   * @param numbers a number for each combination, then for each row
   */
  void spread(int[] numbers, int rows) {
    // The first rows are not asked for again: their room holds what each combination has.
    System.arraycopy(numbers, 0, firstRows, 0, count);
    for (int i = 0; i < rows; i++) {
      numbers[i] = firstRows[places[i]];
    }
  }
}

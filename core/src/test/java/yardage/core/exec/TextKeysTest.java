package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertSame;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import yardage.core.column.Column;
import yardage.core.column.TextBuilder;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;

/** Keys that are texts with few entries are numbered as all others are. */
class TextKeysTest {
  private final SplittableRandom random = new SplittableRandom(7);

  private TextColumn plain(int rows, int distinct, boolean nulls) {
    TextBuilder builder = new TextBuilder();
    for (int r = 0; r < rows; r++) {
      if (nulls && random.nextInt(5) == 0) {
        builder.appendNull();
      } else {
        builder.append("text " + random.nextInt(distinct));
      }
    }
    return builder.build();
  }

  /** Coded, with some entries that are the same and some that no row has. */
  private TextColumn coded(int rows, int entries, int distinct, boolean nulls) {
    TextColumn of = plain(entries, distinct, nulls);
    return of.gather(random.ints(rows, 0, entries).toArray(), rows);
  }

  @Test
  void rowsOfOneKeyHaveOneNumber() {
    KeyTable table = new KeyTable(new Type[] {Type.VARCHAR, Type.VARCHAR});
    KeyTable.Scratch scratch = new KeyTable.Scratch();
    Map<List<Object>, Integer> expected = new HashMap<>();
    int few = 0;
    for (int round = 0; round < 60; round++) {
      int rows = random.nextInt(1, 3_000);
      Column[] keys =
          round % 3 == 0
              ? new Column[] {plain(rows, 5, true), coded(rows, 9, 7, false)}
              : new Column[] {
                coded(rows, 1 + random.nextInt(6), 5, round % 2 == 0), coded(rows, 12, 7, true)
              };
      few += new KeyCombinations().isFew(keys, rows) ? 1 : 0;
      int[] numbers = new int[rows];
      int before = table.count();
      table.numberOf(keys, rows, numbers);
      for (int r = 0; r < rows; r++) {
        List<Object> key = new ArrayList<>();
        key.add(keys[0].value(r));
        key.add(keys[1].value(r));
        expected.putIfAbsent(key, numbers[r]);
        assertEquals(expected.get(key), numbers[r], "row " + r + " of round " + round);
      }
      assertEquals(expected.size(), table.count());
      for (int first : table.firstRows(before, numbers, rows)) {
        assertTrue(numbers[first] >= before);
      }
      int[] found = new int[rows];
      table.find(keys, rows, found, scratch);
      assertEquals(IntStream.of(numbers).boxed().toList(), IntStream.of(found).boxed().toList());
    }
    assertTrue(few > 20 && few < 50, few + " rounds with few combinations");
  }

  @Test
  void textsThatAreTheSameShareAnEntry() {
    for (boolean nulls : new boolean[] {false, true}) {
      TextColumn rows = plain(5_000, 90, nulls);
      TextColumn shared = (TextColumn) SharedTexts.of(rows);
      assertEquals(90, shared.entryCount());
      for (int r = 0; r < rows.size(); r++) {
        assertEquals(rows.value(r), shared.value(r));
      }
    }
    TextColumn many = plain(5_000, 2_000, false);
    assertSame(many, SharedTexts.of(many));
    TextColumn none =
        plain(300, 1, false).gather(IntStream.generate(() -> -1).limit(300).toArray(), 300);
    assertEquals(300, IntStream.range(0, 300).filter(SharedTexts.of(none)::isNull).count());
  }
}

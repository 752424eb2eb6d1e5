package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;

import java.nio.file.Path;
import java.util.Arrays;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.column.Column;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.testing.TestLake;

/** Keys of one hash, of which there are some among a hundred thousand: none is lost or mixed up. */
class CollidingKeysTest {
  private static final String[] PAIR = {"Aa", "BB"};
  private static final String OTHER = "Oporto";

  private static Column column(String... values) {
    return TextColumn.of(values);
  }

  @BeforeAll
  static void theTwoHaveOneHash() {
    int[] hashes = new int[2];
    Hashing.hash(new Column[] {column(PAIR)}, 2, hashes);
    assertEquals(hashes[0], hashes[1]);
  }

  @Test
  void eachHasANumberAndAFirstRow() {
    KeyNumbers numbers = new KeyNumbers(new Type[] {Type.VARCHAR});
    Column[] keys = {column(PAIR[0], PAIR[1], OTHER, PAIR[1], PAIR[0])};

    int[] of = Arrays.copyOf(numbers.numberOf(keys, 5), 5);
    assertEquals(3, numbers.count());
    assertEquals(3, Arrays.stream(of).distinct().count());
    assertEquals(of[1], of[3]);
    assertEquals(of[0], of[4]);
    int[] first = numbers.firstRows(0, 5);
    for (int row = 0; row < 3; row++) {
      assertEquals(row, first[of[row]], "the row in which the key came first");
    }
    numbers.numberOf(new Column[] {column(PAIR[1], "Minho")}, 2);
    assertArrayEquals(new int[] {1}, numbers.firstRows(3, 2), "only what is new in a call");
  }

  @Test
  void theyHavePartitionsGroupsAndRowsOfTheirOwn(@TempDir Path folder) {
    TestLake lake = new TestLake(folder);
    lake.declare("feed: f\nfiles: f/*\ntext: {}\ncolumns: {n: varchar}\n");
    String rows = String.join("\n", "n", PAIR[0], PAIR[1], OTHER, PAIR[1], "");
    lake.file("f/1.csv", rows);
    lake.run(
        """
        pipeline: p
        steps:
          rows: {read: {feed: f}}
          once: {from: rows, dedupe: {by: [n]}}
          counted: {from: rows, aggregate: {by: [n], set: {rows: count(*)}}}
          all: {from: rows, write: {table: t.mills, partition: [n]}}
          singles: {from: once, write: {table: t.singles}}
          groups: {from: counted, write: {table: t.counts}}
        """);

    String three = "[[%s], [%s], [%s]]".formatted(PAIR[0], PAIR[1], OTHER);
    assertEquals(three, lake.query("select distinct n from t.mills order by n").toString());
    assertEquals(three, lake.query("select n from t.singles order by n").toString());
    assertEquals(
        "[[%s, 1], [%s, 2], [%s, 1]]".formatted(PAIR[0], PAIR[1], OTHER),
        lake.query("select * from t.counts order by n").toString());
    assertEquals(
        three,
        lake.query(
                "with recursive r(n) as (select n from t.mills union select n from r) select n from r order by n")
            .toString());
    assertEquals(
        "[[6]]",
        lake.query("select count(*) from t.mills a join t.mills b on a.n = b.n").toString());
  }
}

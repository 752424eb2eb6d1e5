package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.*;

import java.nio.file.Path;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.testing.TestLake;

/** TABLESAMPLE: about so many rows, the same ones where that is asked. */
class SampledQueriesTest {
  @TempDir Path folder;

  @Test
  void aShareOfTheRows() {
    TestLake lake = new TestLake(folder);
    lake.file(
        "rolls/1.csv",
        IntStream.range(0, 20_000)
            .mapToObj(i -> i + "," + i % 2 + "\n")
            .collect(Collectors.joining("", "id,side\n", "")));
    lake.declare("feed: rolls\nfiles: rolls/*\ntext: {}\ncolumns: {id: int, side: int}\n");
    lake.run(
        "pipeline: rolls\nsteps:\n  r: {read: {feed: rolls}}\n  out: {from: r, write: {table: t.rolls, mode: replace}}\n");

    for (String how : List.of("bernoulli", "system")) {
      String tenth =
          "select count(*), min(id), max(id) from t.rolls tablesample %s (10)".formatted(how);
      long count = (long) lake.query(tenth).get(0).get(0);
      // Four standard deviations of 20,000 throws at a tenth are 170.
      assertTrue(Math.abs(count - 2000) < 200, how + ": " + count);
      assertEquals(lake.query(tenth + " repeatable (7)"), lake.query(tenth + " repeatable (7)"));
      assertNotEquals(lake.query(tenth + " repeatable (7)"), lake.query(tenth + " repeatable (8)"));
    }
    // What is asked of the sample is asked of it, and not of what lies below.
    assertEquals(
        lake.query(
            "select count(*) from t.rolls tablesample bernoulli (10) repeatable (7) where id < 5000"),
        lake.query(
            "select count(*) from (select * from t.rolls tablesample bernoulli (10) repeatable (7)) s where s.id < 5000"));
    // Few columns are read, or none, and the rows are sampled all the same.
    for (String repeated : List.of("", " repeatable (3)")) {
      String half = "t.rolls tablesample bernoulli (50)" + repeated;
      for (List<Object> row :
          lake.query(
              "select count(*) from %s union all select 2 * count(*) from %s where side = 1"
                  .formatted(half, half))) {
        assertTrue(Math.abs((long) row.get(0) - 10_000) < 600, row + repeated);
      }
    }
    assertEquals(
        lake.query("select count(*) from t.rolls tablesample bernoulli (50) repeatable (3)"),
        lake.query("select count(id) from t.rolls tablesample bernoulli (50) repeatable (3)"));
    long all =
        (long) lake.query("select count(*) from t.rolls tablesample bernoulli (100)").get(0).get(0);
    assertEquals(20_000, all);
    SqlProblemException wrong =
        assertThrows(
            SqlProblemException.class,
            () -> lake.query("select 1 from t.rolls tablesample bernoulli (200)"));
    assertTrue(wrong.getMessage().contains("100"), wrong.getMessage());
  }
}

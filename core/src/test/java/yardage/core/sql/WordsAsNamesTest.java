package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.*;

import java.nio.file.Path;
import java.util.stream.Collectors;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.testing.TestLake;

/** Columns that are called like words of SQL. */
class WordsAsNamesTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void load() {
    lake = new TestLake(folder);
    lake.file("d/1.csv", "day,value,Month\n2026-03-09,5,3\n2026-03-10,7,3\n2026-04-01,1,4\n");
    lake.declare("feed: d\nfiles: d/*\ntext: {}\ncolumns: {day: date, value: int, Month: int}\n");
    lake.run(
        "pipeline: d\nsteps:\n  r: {read: {feed: d}}\n  k: {from: r, keep: value < 7 and extract(day from day) > 0}\n  out: {from: k, write: {table: t.d, mode: replace}}\n  all: {from: r, write: {table: t.e, mode: replace}}\n");
  }

  private String rows(String sql) {
    return lake.query(sql).stream()
        .map(r -> r.stream().map(String::valueOf).collect(Collectors.joining(" ")))
        .collect(Collectors.joining(", "));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "select value from t.d order by value ~ 1, 5",
        "select day, sum(value) from t.e group by day order by day desc limit 1 ~ 2026-04-01 1",
        "select d.day, d.value from t.d d where d.value > 1 ~ 2026-03-09 5",
        "select month, count(*) from t.e group by month order by month ~ 3 2, 4 1",
        "select value as day from t.d where day > date '2026-03-31' ~ 1",
        "with x(day, value) as (select day, value * 2 from t.d) select max(value) from x ~ 10",
        // Where a word is a word, it stays one.
        "select extract(day from day) as day, month(day) from t.d where value = 5 ~ 9 3",
        "select day + interval '1' day from t.d where value = 5 ~ 2026-03-10",
        "select 'day ' || ' value' from t.d where value = 5 ~ day  value",
        "select timestampdiff(month, min(day), max(day)) from t.d ~ 0",
      })
  void areNamesWhereNothingElseCanStand(String sql, String expected) {
    assertEquals(expected, rows(sql));
  }

  @Test
  void linesAndCommentsKeepTheirPlaces() {
    assertEquals("5", rows("select value\n-- day\nfrom t.d /* value */\nwhere\nvalue = 5"));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "select value, nothing from t.d ~ 1:15 ~ nothing",
        "select value from t.d where (value > ~ 1:36 ~ ends too early",
        "select valeu, day from t.d ~ 1:8 ~ valeu",
        "select day from t.x ~ 1:17 ~ t.x",
        "select month(value) from t.d ~ 1:8 ~ does not take",
      })
  void mistakesAreToldInTheWordsThatWereWritten(String sql, String place, String part) {
    SqlProblemException e = assertThrows(SqlProblemException.class, () -> lake.query(sql));
    assertTrue(e.getMessage().contains(part), e.getMessage());
    assertEquals(place, e.problem().line() + ":" + e.problem().column(), e.getMessage());
    assertTrue(e.getMessage().chars().allMatch(c -> c < 0x1400), e.getMessage());
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "select value + 5 minute from t.d",
        "select value from t.d where day > date '2026-01-01' + 1 day",
        "select ᑡay from t.d",
        "select extract(day form day) from t.d"
      })
  void whatIsNoNameIsRefused(String sql) {
    assertThrows(SqlProblemException.class, () -> lake.query(sql));
  }

  @Test
  void aQueryOfNothingElseEnds() {
    String many = "value,\n".repeat(5_000);
    assertThrows(SqlProblemException.class, () -> lake.query("select " + many + "1 from t.d"));
  }
}

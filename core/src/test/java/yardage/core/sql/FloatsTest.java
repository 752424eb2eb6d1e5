package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Type;
import yardage.core.exec.StepFailedException;
import yardage.core.lake.TableName;
import yardage.core.testing.TestLake;

/** Numbers of 32 bits, from a file to the answer of a query; Java's floats are the measure. */
class FloatsTest {
  private static final TableName PROBES = TableName.parse("t.probes");

  @TempDir Path folder;
  private TestLake lake;
  private int files;

  @BeforeEach
  void land() {
    lake = new TestLake(folder);
    land("float", "1,0.1", "2,16777217", "3,-2.5", "4,", "5,3.4028235e38");
  }

  private void land(String type, String... rows) {
    lake.declare(
        "feed: probes\nfiles: p/*\nset-aside-limit: {share: 1.0}\ntext: {}\ncolumns: {n: int, warmth: %s}\n"
            .formatted(type));
    lake.file("p/%d.csv".formatted(++files), "n,warmth\n" + String.join("\n", rows) + "\n");
    lake.run(
        "pipeline: p\nsteps:\n  rows: {read: {feed: probes}}\n  out: {from: rows, write: {table: t.probes, columns: follow}}\n");
  }

  private Type type() {
    return lake.table(PROBES).orElseThrow().schema().field(1).type();
  }

  @Test
  void aTableHoldsWhatTheFileSays() {
    assertEquals(Type.FLOAT, type());
    assertEquals(
        "[[1, 0.1], [2, 1.6777216E7], [3, -2.5], [4, null], [5, 3.4028235E38]]",
        lake.query("select n, warmth from t.probes order by n").toString());
    land("float", "6,3.5e38", "7,1e-50", "8,warm");
    assertEquals("{out-of-range=2, wrong-type=1}", lake.lastRun().setAsideByReason().toString());
    assertEquals(5L, lake.query("select count(*) from t.probes").get(0).get(0));
  }

  @Test
  void aFloatMayBecomeADoubleAndNotTheOtherWay() {
    land("double", "6,0.1", "7,1e300");
    assertEquals(Type.DOUBLE, type());
    assertEquals(
        "[[1, 0.10000000149011612], [6, 0.1], [7, 1.0E300]]",
        lake.query("select n, warmth from t.probes where n in (1, 6, 7) order by n").toString());
    land("float", "8,0.1");
    assertEquals(Type.DOUBLE, type(), "what is narrower fits");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "warmth + warmth from t.probes where n = 1 | 0.2",
        "warmth * 2 from t.probes where n = 1 | 0.2",
        "warmth + 0.1 from t.probes where n = 1 | 0.20000000149011612",
        "sum(warmth) from t.probes where n < 4 | 1.6777213600000001E7",
        "avg(warmth) from t.probes where n = 1 | 0.10000000149011612",
        "max(warmth) from t.probes | 3.4028235E38",
        "n from t.probes where warmth = cast(0.1 as float) | 1",
        "n from t.probes where warmth < -1 | 3",
        "cast(warmth as varchar) from t.probes where n = 1 | 0.1",
        "cast(warmth as decimal(9, 3)) from t.probes where n = 1 | 0.100",
        "cast('0.1' as real) + 0 from t.probes where n = 1 | 0.1",
        "abs(warmth) from t.probes where n = 3 | 2.5",
        "round(warmth, 0) from t.probes where n = 3 | -3.0",
        "coalesce(warmth, 1) from t.probes where n = 4 | 1.0",
        "count(distinct warmth) from t.probes | 4",
        "try_cast('4e38' as float) from t.probes where n = 1 | null",
        "percentile_cont(0.5) within group (order by warmth) from t.probes where n < 4 | 0.10000000149011612",
        "sum(warmth) over () from t.probes where n = 3 | -2.5",
        "x from (select warmth as x, n from t.probes union all select n, n from t.probes) t where n = 1 order by x desc limit 1 | 1.0",
      })
  void computesAsFloatsDo(String sql, String expected) {
    assertEquals(expected, String.valueOf(lake.query("select " + sql).get(0).get(0)));
  }

  /** The float beside 0.1 is larger than it: no file may be passed over as if it were the same. */
  @Test
  void filesAreNotPassedOverByRounding() {
    land("float", "9,0.1");
    assertEquals(
        "[[9]]", lake.query("select n from t.probes where n > 5 and warmth > 0.1").toString());
    assertEquals(
        "[]", lake.query("select n from t.probes where n > 5 and warmth = 0.1").toString());
  }

  @Test
  void aNumberThatIsTooLargeIsAnErrorThatNamesIt() {
    StepFailedException failed =
        assertThrows(
            StepFailedException.class,
            () -> lake.query("select cast(n * 1e39 as float) from t.probes"));
    assertTrue(failed.getMessage().contains("float"), failed.getMessage());
  }
}

package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.*;

import java.nio.file.Path;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.testing.TestLake;

/** Covariance, correlation and the line of least squares. */
class PairAggregatesTest {
  private static final int ROWS = 40_000;

  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void load() {
    lake = new TestLake(folder);
  }

  private static String pairs(String values) {
    return " from (values %s) as v(y, x)".formatted(values);
  }

  /** Worked out by hand; a pair with a null is no pair. */
  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      nullValues = "null",
      value = {
        "covar_pop(y, x) ~ (2, 1), (4, 3), (9, 5) ~ 4.666666666666667",
        "covar_samp(y, x) ~ (2, 1), (4, 3), (9, 5) ~ 7.0",
        "corr(y, x) ~ (2, 1), (4, 3), (9, 5) ~ 0.970725343394151",
        "regr_slope(y, x) ~ (2, 1), (4, 3), (9, 5) ~ 1.75",
        "regr_avgx(y, x) ~ (2, 1), (4, 3), (9, 5), (null, 7) ~ 3.0",
        "regr_avgy(y, x) ~ (2, 1), (4, 3), (9, 5), (7, null) ~ 5.0",
        "regr_sxx(y, x) ~ (2, 1), (4, 3), (9, 5) ~ 8.0",
        "regr_syy(y, x) ~ (2, 1), (4, 3), (9, 5) ~ 26.0",
        "regr_sxy(y, x) ~ (2, 1), (4, 3), (9, 5) ~ 14.0",
        "regr_sxx(y, x) ~ (cast(null as int), 1) ~ null",
        "regr_intercept(y, x) ~ (2, 1), (4, 3), (9, 5) ~ -0.25",
        "regr_r2(y, x) ~ (2, 1), (4, 3), (9, 5) ~ 0.942307692307692",
        "covar_samp(y, x) ~ (2, 1), (null, 70), (4, 3), (80, null), (9, 5) ~ 7.0",
        "regr_slope(y, x) filter (where y < 100) ~ (2, 1), (4, 3), (9, 5), (100, 6) ~ 1.75",
        "corr(y, x) ~ (3, 1), (2, 2), (1, 3) ~ -1.0",
        "covar_pop(y, x) ~ (2, 1) ~ 0.0",
        "covar_samp(y, x) ~ (2, 1) ~ null",
        "corr(y, x) ~ (2, 1), (2, 3) ~ null",
        "regr_slope(y, x) ~ (2, 1), (4, 1) ~ null",
        "regr_r2(y, x) ~ (2, 1), (2, 3) ~ 1.0",
        "regr_r2(y, x) ~ (2, 1), (4, 1) ~ null",
        "corr(y, x) ~ (1.5, 1e100), (3.5, 2e100), (4.5, 3e100) ~ 0.981980506061966",
        "covar_pop(y, x) ~ (cast(null as int), 1) ~ null",
      })
  void byHand(String call, String values, Double expected) {
    Object got = lake.query("select " + call + pairs(values)).get(0).get(0);
    if (expected == null) {
      assertNull(got);
    } else {
      assertEquals(expected, (Double) got, 1e-12);
    }
  }

  /** Two workers, many batches, and means so large that sums of products would lose all digits. */
  @Test
  void groupsAndLargeMeansAreAsExactAsBothPasses() {
    lake.file(
        "p/1.csv",
        IntStream.range(0, ROWS)
            .mapToObj(
                i ->
                    "%d,%d,%d\n"
                        .formatted(i % 7, 1_000_000_000L + i * 7919L % 1000, i * 104729L % 977))
            .collect(Collectors.joining("", "k,y,x\n", "")));
    lake.declare("feed: p\nfiles: p/*\ntext: {}\ncolumns: {k: int, y: bigint, x: bigint}\n");
    lake.run(
        "pipeline: p\nsteps:\n  r: {read: {feed: p}}\n  out: {from: r, write: {table: t.p, mode: replace}}\n");
    List<List<Object>> once =
        lake.query(
            "select k, covar_pop(y, x), corr(y, x), regr_slope(y, x) from t.p group by k order by k");
    List<List<Object>> twice =
        lake.query(
            "select p.k, avg(dy * dx), sum(dy * dx) / sqrt(sum(dy * dy) * sum(dx * dx)), sum(dy * dx) / sum(dx * dx) from (select q.k, cast(q.y as double) - m.y as dy, cast(q.x as double) - m.x as dx from t.p q join (select k, avg(cast(y as double)) as y, avg(cast(x as double)) as x from t.p group by k) m on m.k = q.k) p group by p.k order by p.k");

    assertEquals(7, once.size());
    for (int g = 0; g < 7; g++) {
      for (int c = 1; c < 4; c++) {
        double expected = (Double) twice.get(g).get(c);
        assertEquals(expected, (Double) once.get(g).get(c), Math.abs(expected) * 1e-7 + 1e-9);
      }
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "select corr(distinct y, x) ~ takes no DISTINCT",
        "select corr(y) ~ CORR",
        "select corr(y, 'a') ~ corr does not take",
        "select corr(y * 1e200, x * 1e200) ~ too large",
      })
  void misuseIsToldByName(String select, String part) {
    Exception refused =
        assertThrows(RuntimeException.class, () -> lake.query(select + pairs("(1, 2), (3, 4)")));
    assertTrue(refused.getMessage().contains(part), refused.getMessage());
  }
}

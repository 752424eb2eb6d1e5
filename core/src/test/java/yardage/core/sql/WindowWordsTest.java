package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;

import java.math.BigDecimal;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.SplittableRandom;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/**
 * Frames and aggregates of windows that MariaDB does not have, beside what it finds by looking at
 * all rows for each row.
 */
class WindowWordsTest {
  private static SqlTwin twin;

  @BeforeAll
  static void load() throws Exception {
    twin = new SqlTwin();
    SplittableRandom random = new SplittableRandom(42);
    List<List<Object>> rows = new ArrayList<>();
    for (int i = 0; i < 400; i++) {
      rows.add(
          Arrays.asList(
              i,
              "L" + random.nextInt(5),
              random.nextInt(9) == 0
                  ? null
                  : LocalDate.of(2026, 1, 25).plusDays(random.nextInt(90)),
              random.nextInt(9) == 0 ? null : random.nextInt(60),
              random.nextInt(7) == 0 ? null : BigDecimal.valueOf(random.nextInt(40), 1)));
    }
    twin.table(
        "rolls",
        Schema.of(
            new Schema.Field("id", Type.INT),
            new Schema.Field("loom", Type.VARCHAR),
            new Schema.Field("woven", Type.DATE),
            new Schema.Field("beam", Type.INT),
            new Schema.Field("metres", Type.decimal(9, 1))),
        rows);
  }

  @AfterAll
  static void stop() {
    twin.close();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "sum(metres) over (order by woven range between interval '6' day preceding and current row) ~ select sum(metres) from rolls b where b.woven between a.woven - interval 6 day and a.woven or a.woven is null and b.woven is null",
        "count(*) over (partition by loom order by woven range between interval '1' month preceding and interval '2' day following) ~ select count(*) from rolls b where b.loom = a.loom and (b.woven between a.woven - interval 1 month and a.woven + interval 2 day or a.woven is null and b.woven is null)",
        "max(metres) over (order by beam desc range between 3 preceding and 1 following) ~ select max(metres) from rolls b where b.beam between a.beam - 1 and a.beam + 3 or a.beam is null and b.beam is null",
        "count(id) over (partition by loom order by metres nulls first range between 0.35 preceding and unbounded following) ~ select count(*) from rolls b where b.loom = a.loom and (b.metres >= a.metres - 0.35 or a.metres is null)",
        "count(*) over (order by metres range between 2 following and 4 following) ~ select count(*) from rolls b where b.metres between a.metres + 2 and a.metres + 4 or a.metres is null and b.metres is null",
        "sum(id) over (partition by loom order by beam nulls first groups between 2 preceding and 1 following) ~ select sum(id) from (select id, loom, dense_rank() over (partition by loom order by beam) as g from rolls) b where b.loom = a.loom and b.g between a.g - 2 and a.g + 1",
        "min(metres) over (partition by loom order by beam nulls first groups 1 preceding) ~ select min(metres) from (select metres, loom, dense_rank() over (partition by loom order by beam) as g from rolls) b where b.loom = a.loom and b.g between a.g - 1 and a.g",
        "count(*) over (partition by loom order by beam nulls first groups between 1 following and unbounded following) ~ select count(*) from (select loom, dense_rank() over (partition by loom order by beam) as g from rolls) b where b.loom = a.loom and b.g > a.g",
        "count(distinct beam) over (partition by loom order by id rows between 9 preceding and 3 preceding) ~ select count(distinct beam) from (select beam, loom, row_number() over (partition by loom order by id) as n from rolls) b where b.loom = a.loom and b.n between a.n - 9 and a.n - 3",
        "sum(distinct metres) over (partition by loom order by id rows 5 preceding) ~ select sum(distinct metres) from (select metres, loom, row_number() over (partition by loom order by id) as n from rolls) b where b.loom = a.loom and b.n between a.n - 5 and a.n",
        "count(distinct loom) over (order by beam nulls first) ~ select count(distinct loom) from rolls b where b.beam <= a.beam or b.beam is null",
        "count(*) filter (where beam > 30) over (partition by loom) ~ select count(*) from rolls b where b.loom = a.loom and b.beam > 30",
        "sum(metres) filter (where beam > 30) over (order by id) ~ select sum(metres) from rolls b where b.id <= a.id and b.beam > 30",
        "lag(metres, 2) ignore nulls over (partition by loom order by id) ~ select metres from rolls b where b.loom = a.loom and b.id < a.id and b.metres is not null order by id desc limit 1 offset 1",
        "lead(metres, 1, -1) ignore nulls over (partition by loom order by id) ~ select coalesce((select metres from rolls b where b.loom = a.loom and b.id > a.id and b.metres is not null order by id limit 1), -1)",
        "last_value(metres) ignore nulls over (order by id rows between unbounded preceding and 1 preceding) ~ select metres from rolls b where b.id < a.id and b.metres is not null order by id desc limit 1",
        "round(stddev_samp(cast(metres as double)) over (partition by loom), 9) ~ select round(stddev_samp(metres), 9) from rolls b where b.loom = a.loom",
        "round(var_pop(beam) over (order by id rows 20 preceding), 9) ~ select round(var_pop(beam), 9) from rolls b where b.id between a.id - 20 and a.id",
        "listagg(loom, '+') over (order by id rows 2 preceding) ~ select group_concat(loom order by loom separator '+') from rolls b where b.id between a.id - 2 and a.id",
        "percentile_cont(0.25) within group (order by metres desc) over (partition by loom) ~ select p from (select distinct loom, percentile_cont(0.25) within group (order by metres desc) over (partition by loom) as p from rolls where metres is not null) b where b.loom = a.loom",
        "max(beam) over (groups between 1 preceding and current row) ~ select max(beam) from rolls",
      })
  void findWhatLookingAtAllRowsFinds(String window, String subquery) throws Exception {
    List<List<Object>> ours = twin.ours("select id, " + window + " as v from rolls");
    List<List<Object>> theirs =
        twin.theirs(
            "select id, ("
                + subquery
                + ") as v from (select rolls.*, dense_rank() over (partition by loom order by beam) as g, row_number() over (partition by loom order by id) as n from rolls) a");

    assertEquals(texts(theirs), texts(ours));
  }

  /**
   * Windows of unlike orders follow each other; calls of one share its rows. MariaDB is asked for
   * one at a time: of several, it gives wrong ranks.
   */
  @Test
  void severalWindowsOfOneQuery() throws Exception {
    List<String> windows =
        List.of(
            "row_number() over (partition by loom order by id)",
            "rank() over (order by beam nulls first)",
            "count(*) over (partition by loom)",
            "max(metres) over (order by id rows 3 preceding)",
            "sum(id) over (partition by loom order by id)",
            "sum(beam) over ()");
    List<List<Object>> ours =
        twin.ours("select id, " + String.join(", ", windows) + " from rolls order by id");

    for (int w = 0; w < windows.size(); w++) {
      int column = w + 1;
      assertEquals(
          texts(
              twin.theirs(
                  "select id, " + windows.get(w).replace(" nulls first", "") + " from rolls")),
          texts(ours.stream().map(row -> List.of(row.get(0), row.get(column))).toList()),
          windows.get(w));
    }
  }

  private static List<String> texts(List<List<Object>> rows) {
    return rows.stream()
        .sorted(Comparator.comparing(r -> ((Number) r.get(0)).longValue()))
        .map(r -> r.get(0) + " " + text(r.get(1)))
        .toList();
  }

  private static String text(Object value) {
    return value instanceof Number n
        ? new BigDecimal(n.toString()).stripTrailingZeros().toPlainString()
        : String.valueOf(value);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "sum(beam) over (order by beam rows 2 preceding exclude current row) ~ 71 EXCLUDE CURRENT ROW is not supported; take the value away from what the whole frame gives, as in SUM(a) OVER (…) - a",
        "sum(beam) over (order by beam, id range 2 preceding) ~ 42 RANGE with an offset goes by one column; order by that alone, or count with ROWS or GROUPS",
        "sum(beam) over (order by loom range 2 preceding) ~ 44 RANGE with an offset needs a number, a date or a time to order by; count with ROWS or GROUPS instead",
        "sum(beam) over (order by woven range 2 preceding) ~ 45 The offset of RANGE is a number where the order goes by one, and an interval where it goes by dates or times, as in RANGE INTERVAL '6' DAY PRECEDING",
        "sum(beam) over (order by beam rows -1 preceding) ~ 43 How far a window reaches is a constant that is not negative, as in ROWS 6 PRECEDING",
        "sum(beam) over (order by id groups beam preceding) ~ 8 How far a window reaches is a constant that is not negative, as in ROWS 6 PRECEDING",
        "sum(beam) over (order by id range -2 preceding) ~ 8 How far a window reaches is a constant that is not negative, as in ROWS 6 PRECEDING",
        "listagg(loom, ',') within group (order by id) over (partition by loom) ~ 8 WITHIN GROUP goes with OVER for PERCENTILE_CONT alone, with one column to order by; write other functions without OVER, in a query that groups",
        "corr(distinct beam, id) over (partition by loom) ~ 8 CORR is of pairs, and takes no DISTINCT; select the distinct pairs in a subquery first",
        "percentile(metres, 2) over () ~ 8 PERCENTILE wants a share between 0 and 1, as in PERCENTILE(metres, 0.9), not [2]",
        "lag(beam, 3000000000) over (order by id) ~ 8 A number of rows is a whole number of at most 2,147,483,647, not [3000000000]",
        "grouping_id(loom) over (order by id) ~ 8 GROUPING_ID says which columns a row is grouped by, and this query has no GROUP BY",
      })
  void saysWhatIsWrong(String window, String expected) {
    SqlProblem found =
        assertThrows(SqlProblemException.class, () -> twin.ours("select " + window + " from rolls"))
            .problem();
    assertEquals(expected, found.column() + " " + found.message());
  }
}

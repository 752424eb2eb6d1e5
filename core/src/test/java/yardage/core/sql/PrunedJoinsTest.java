package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.*;

import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.Progress;
import yardage.core.exec.StepTally;
import yardage.core.exec.Tally;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.task.TaskEndpoints;
import yardage.core.testing.Rows;
import yardage.core.testing.TestLake;

/** What one side of a join holds spares files of the other, and no row is lost by that. */
class PrunedJoinsTest {
  private static final int MONTHS = 12;

  @TempDir Path folder;
  private TestLake lake;
  private StepTally tally;
  private Progress.Read progress;

  @BeforeEach
  void load() {
    lake = new TestLake(folder);
    // Each month is a partition; keys rise from one to the next, and one row has none.
    lake.file(
        "rolls/1.csv",
        IntStream.range(0, MONTHS * 10)
                .mapToObj(i -> "%d,%d,%d\n".formatted(i, i / 10 + 1, i % 7))
                .collect(Collectors.joining("", "day_key,month,defects\n", ""))
            + ",12,99\n");
    lake.file(
        "days/1.csv",
        IntStream.range(0, MONTHS * 10)
            .mapToObj(i -> "%d,%d,D%03d\n".formatted(i, i / 60, i))
            .collect(Collectors.joining("", "day_key,half,code\n", "")));
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntext: {}\ncolumns: {day_key: {type: bigint, nulls: ['']}, month: int, defects: int}\n");
    lake.declare(
        "feed: days\nfiles: days/*\ntext: {}\ncolumns: {day_key: bigint, half: int, code: varchar}\n");
    lake.run(
        "pipeline: rolls\nsteps:\n  rolls: {read: {feed: rolls}}\n  out: {from: rolls, write: {table: t.rolls, mode: replace, partition: [month]}}\n");
    lake.run(
        "pipeline: days\nsteps:\n  days: {read: {feed: days}}\n  out: {from: days, write: {table: t.days, mode: replace}}\n");
  }

  /** The rows of a query; what it read is in the tally. */
  private List<String> rows(String sql) {
    Map<String, Relation> relations = new LinkedHashMap<>();
    for (TableName t : lake.tables()) {
      relations.put(t.toString(), new TableRelation(lake.table(t).orElseThrow()));
    }
    PlanSession session = new PlanSession();
    var rel = session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(relations)).rel();
    tally = new StepTally("query", "sql");
    ExecutionContext context = ExecutionContext.standalone(1L << 28);
    Executor executor = new Executor(context, TaskEndpoints.reading(lake.lake()), step -> tally);
    List<List<Object>> rows =
        Rows.rows(
            executor.collect(session.physical().plan(session.optimize(rel), "query"), "query"));
    progress = context.progress().read();
    return rows.stream().map(Object::toString).sorted().toList();
  }

  /** The same rows, by a join whose keys are no plain columns, so that nothing is known of them. */
  private List<String> unpruned(String sql) {
    return rows(
        sql.replace(
            "r.day_key = d.day_key", "cast(r.day_key as varchar) = cast(d.day_key as varchar)"));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "d.code = 'D034'                        | 11",
        "d.code IN ('D034', 'D047')             | 10",
        "d.half = 1                            | 6",
        "d.code = 'none'                        | 13",
        "d.half >= 0                           | 0"
      })
  void filesWithoutAKeyAreNotRead(String filter, long skipped) {
    // With a filter that no day meets, that of the days is skipped too.
    String sql =
        "select d.code, sum(r.defects) from t.rolls r join t.days d on r.day_key = d.day_key where %s group by d.code"
            .formatted(filter);
    List<String> rows = rows(sql);
    Tally read = tally.snapshot();
    assertEquals(skipped, read.filesSkipped());
    assertEquals(new Progress.Read(read.rowsIn(), read.filesRead(), read.filesRead()), progress);
    assertEquals(unpruned(sql), rows);
    assertTrue(tally.snapshot().filesSkipped() <= 1, "the other way skips no file of rolls");
  }

  @ParameterizedTest
  @ValueSource(strings = {"full", "right", "left"})
  void aFilterOfLeftRowsMakesNoRightRowUnmatched(String kind) {
    // Of 4,000 rows every hundredth has no part; the other table has all numbers.
    lake.file(
        "some/1.csv",
        IntStream.range(0, 4_000)
            .mapToObj(i -> "%d,%s\n".formatted(i % 50, i % 100 == 0 ? "" : i % 3))
            .collect(Collectors.joining("", "n,part\n", "")));
    lake.declare(
        "feed: halves\nfiles: some/*\ntext: {}\ncolumns: {n: int, part: {type: int, nulls: ['']}}\n");
    lake.run(
        "pipeline: halves\nsteps:\n  rows: {read: {feed: halves}}\n  out: {from: rows, write: {table: t.halves, mode: replace}}\n");
    String sql =
        "select s.n, s.part, d.day_key from t.halves s %s join (select * from t.days where day_key < 60) d on s.n = d.day_key where %s";

    List<String> rows = rows(sql.formatted(kind, "s.part is null"));

    assertEquals(
        rows(sql.formatted(kind, "(s.part is null and (d.day_key > -1 or d.day_key is null))")),
        rows);
    assertEquals(rows(sql.formatted(kind, "coalesce(s.part + d.day_key, s.part) is null")), rows);
    assertEquals(kind.equals("left") ? 40 : 50, rows.size());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "kind = 'K3' | true",
        "kind in ('K1', 'K2') and part is null | true",
        "kind like '%5' or kind is null | true",
        "part is null | true",
        "part is not null | true",
        "part is not null or n is null | false",
        "part > 2 and kind <> 'K0' | true",
        "not (part > 2) | true",
        "kind = 'nobody' | true",
        "case when part = 0 then false else 10 / part > 4 end | true",
        "price = 1.5 | true",
        // An entry of the dictionary cannot be computed; the other part leaves out its rows.
        "10 / part > 4 and kind = 'none' | true",
        "n = 17 | true",
        "n > 16 and n < 18 | false"
      })
  void rowsThatAFilterLeavesOutAreNotDecoded(String filter, boolean fewer) {
    lake.file(
        "many/1.csv",
        IntStream.range(0, 5_000)
            .mapToObj(
                i ->
                    "%d,%s,%s,%d.%d\n"
                        .formatted(
                            i,
                            i % 11 == 0 ? "" : "K" + i % 7,
                            i % 3 == 0 ? "" : i % 5,
                            i % 2,
                            i % 8))
            .collect(Collectors.joining("", "n,kind,part,price\n", "")));
    lake.declare(
        "feed: many\nfiles: many/*\ntext: {}\ncolumns: {n: int, kind: {type: varchar, nulls: ['']}, part: {type: int, nulls: ['']}, price: 'decimal(5, 1)'}\n");
    lake.run(
        "pipeline: many\nsteps:\n  many: {read: {feed: many}}\n  out: {from: many, write: {table: t.many, mode: replace}}\n");

    List<String> rows = rows("select * from t.many where " + filter);
    long read = tally.snapshot().rowsIn();
    // One condition over two columns, which nothing is left out by.
    List<String> all =
        rows(
            "select * from t.many where (%s) or (n < 0)"
                .formatted(filter.replace("10 / part > 4 and ", "")));

    assertEquals(all, rows);
    assertEquals(5_000, tally.snapshot().rowsIn());
    assertEquals(fewer, read < 5_000, "rows that were read: " + read);
  }

  /** Files without a sought key are not read below a group, nor beside a held semi join. */
  @ParameterizedTest
  @ValueSource(
      strings = {
        "select d.code, r.n from t.days d join (select day_key, count(*) n from t.rolls group by day_key) r on r.day_key = d.day_key where d.code = 'D034'",
        "select d.code from t.days d where d.code = 'D034' and d.day_key in (select r.day_key from t.rolls r)",
        "select d.code from t.days d where d.code = 'D034' and exists (select 1 from t.rolls r where r.day_key = d.day_key and r.defects < d.half + 9)",
        "select d.code from t.days d where d.code like 'D03%' and not exists (select 1 from t.rolls r where r.day_key = d.day_key and r.defects > 2)",
        "select d.code from t.days d where d.half > (select min(defects) from t.rolls r where r.day_key = d.day_key) - 9 and d.code = 'D034'",
      })
  void whatIsSoughtGoesThroughGroupsAndHeldRows(String sql) {
    List<String> rows = rows(sql);
    Tally read = tally.snapshot();
    String unknown =
        "(select cast(cast(day_key as varchar) as bigint) day_key, defects from t.rolls)";
    assertEquals(rows(sql.replace("t.rolls", unknown)), rows);
    assertFalse(rows.isEmpty());
    assertTrue(read.filesSkipped() >= 10, read.toString());
  }

  @Test
  void aTableTellsHowManyValuesAColumnHas() {
    for (String column : List.of("rolls.day_key", "rolls.month", "rolls.defects", "days.code")) {
      String[] of = column.split("\\.");
      LakeTable table = lake.table(TableName.parse("t." + of[0])).orElseThrow();
      assertEquals(
          rows("select count(distinct \"%s\") from t.%s".formatted(of[1], of[0])).get(0),
          "[%.0f]".formatted(table.valueCount(table.schema().indexOf(of[1])).orElseThrow()),
          column);
    }
  }

  @Test
  void severalJoinsOfOneTableNarrowItTogether() {
    String sql =
        "select r.day_key, d.code, e.half from t.rolls r join t.days d on r.day_key = d.day_key join t.days e on r.\"month\" = e.half where d.code > 'D055' and e.code < 'D061'";
    List<String> rows = rows(sql);
    Tally read = tally.snapshot();
    assertEquals(unpruned(sql), rows);
    assertTrue(read.filesSkipped() > 0, read.toString());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        // Rows without a match come out: all have to be read.
        "select r.day_key, d.code from t.rolls r left join (select * from t.days where half = 1) d on r.day_key = d.day_key | 0",
        "select r.day_key, d.code from t.rolls r full join (select * from t.days where half = 1) d on r.day_key = d.day_key | 0",
        "select r.day_key from t.rolls r where not exists (select 1 from t.days d where r.day_key = d.day_key and half = 1) | 0",
        // Only those with one do.
        "select r.day_key, d.code from t.rolls r right join (select * from t.days where half = 1) d on r.day_key = d.day_key | 6",
        "select r.day_key from t.rolls r where exists (select 1 from t.days d where r.day_key = d.day_key and d.half = 1) | 6"
      })
  void rowsThatComeOutWithoutAMatchAreRead(String sql, long skipped) {
    List<String> rows = rows(sql);
    assertEquals(skipped, tally.snapshot().filesSkipped());
    assertEquals(unpruned(sql), rows);
  }

  @Test
  void pipelinesCountEveryRow() {
    Map<String, Tally> account =
        lake.run(
            "pipeline: joined\nsteps:\n  rolls: {read: {table: t.rolls}}\n  days: {read: {table: t.days}}\n  late: {from: days, keep: code = 'D034'}\n  both: {from: rolls, join: {with: late, on: [day_key]}}\n  out: {from: both, write: {table: t.both, mode: replace}}\n");
    assertEquals(MONTHS * 10 + 1, account.get("rolls").rowsOut());
    assertEquals(MONTHS * 10, account.get("both").unmatched());
  }
}

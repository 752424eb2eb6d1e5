package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.*;

import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Tag;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.exec.CancelToken;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.Scratch;
import yardage.core.exec.StepFailedException;
import yardage.core.exec.StepTally;
import yardage.core.testing.LivePlans;
import yardage.core.testing.Rows;
import yardage.core.testing.TestLake;

/** Queries that name themselves. */
class RecursiveQueriesTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void load() {
    lake = new TestLake(folder);
    // A tree of parts, and a ring of halls that lead to each other.
    lake.file(
        "parts/1.csv",
        "part,of\nloom,\nframe,loom\nshaft,loom\nbolt,frame\nnut,bolt\nheald,shaft\n");
    lake.file("ways/1.csv", "a,b\nNorth,East\nEast,South\nSouth,North\nSouth,Yard\n");
    lake.declare(
        "feed: parts\nfiles: parts/*\ntext: {}\ncolumns: {part: varchar, of: {type: varchar, nulls: ['']}}\n");
    lake.declare("feed: ways\nfiles: ways/*\ntext: {}\ncolumns: {a: varchar, b: varchar}\n");
    for (String name : List.of("parts", "ways")) {
      lake.run(
          "pipeline: %s\nsteps:\n  r: {read: {feed: %s}}\n  out: {from: r, write: {table: t.%s, mode: replace}}\n"
              .formatted(name, name, name));
    }
  }

  private String rows(String sql) {
    return lake.query(sql).stream()
        .map(r -> r.stream().map(String::valueOf).collect(Collectors.joining(" ")))
        .collect(Collectors.joining(", "));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "with recursive r(n) as (select 1 union all select n + 1 from r where n < 5) select n from r order by n ~ 1, 2, 3, 4, 5",
        "with recursive r(n, f) as (values (1, 1) union all select n + 1, f * (n + 1) from r where n < 6) select max(f) from r ~ 720",
        "with recursive r as (select part, 0 as depth from t.parts where \"of\" is null union all select p.part, r.depth + 1 from t.parts p join r on p.\"of\" = r.part) select part, depth from r order by depth, part ~ loom 0, frame 1, shaft 1, bolt 2, heald 2, nut 3",
        "with recursive r as (select part, cast(part as varchar) as path from t.parts where \"of\" is null union all select p.part, r.path || '/' || p.part from r, t.parts p where p.\"of\" = r.part) select path from r where part = 'nut' ~ loom/frame/bolt/nut",
        // The ring is walked once: a row that is there already adds nothing.
        "with recursive r(hall) as (select 'North' union select w.b from r join t.ways w on w.a = r.hall) select hall from r order by hall ~ East, North, South, Yard",
        "with recursive r(n) as (select 1 union all select n + 1 from r where n < 3), s as (select n * 10 as m from r) select a.n, b.m from r a join s b on b.m = a.n * 10 order by 1 ~ 1 10, 2 20, 3 30",
        "with recursive r(n) as (select 1 union all select n * 2 from r where n < 100) select count(*), sum(n) from r where n > 4 ~ 5 248",
        "with recursive r(n) as (select 1 from (values (1)) as v(x) where x > 1 union all select n + 1 from r where n < 5) select count(*) from r ~ 0",
        "select (with recursive r(n) as (select 1 union all select n + 1 from r where n < 4) select sum(n) from r) as total ~ 10",
        "with recursive r(n) as (select cast(1 as bigint) union all select n + (select count(*) from t.ways) from r where n < 10) select max(n) from r ~ 13"
      })
  void goesOnUntilARoundAddsNothing(String sql, String expected) {
    assertEquals(expected, rows(sql));
  }

  @Test
  void aThousandRoundsAndManyRowsInEach() {
    assertEquals(
        "1000",
        rows(
            "with recursive r(n) as (select 1 union all select n + 1 from r where n < 1000) select count(*) from r"));
    String many =
        IntStream.range(0, 500).mapToObj(i -> "(" + i + ")").collect(Collectors.joining(", "));
    assertEquals(
        "10000 124750 20",
        rows(
            "with recursive r(k, n) as (select k, 1 from (values %s) as v(k) union all select k, n + 1 from r where n < 20) select count(*), sum(k) / 20, max(n) from r"
                .formatted(many)));
  }

  @Test
  @Tag("thorough")
  void oneThatDoesNotEndIsStoppedWithTheMend() {
    StepFailedException e =
        assertThrows(
            StepFailedException.class,
            () ->
                rows(
                    "with recursive r(n) as (select 1 union all select n from r) select count(*) from r"));
    assertTrue(
        e.getMessage().contains("[r] names itself without end: after 10,000 rounds"),
        e.getMessage());
  }

  /** Without tables; gives what was written to disk behind the rows. */
  private static String within(long memoryBytes, long scratchBytes, String sql) {
    PlanSession session = new PlanSession();
    PlanSession.Planned planned =
        session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(Map.of()));
    StepTally tally = new StepTally("query", "sql");
    MemoryPool pool = MemoryPool.root("the query", memoryBytes);
    Scratch scratch = Scratch.temporary(scratchBytes);
    try {
      List<List<Object>> rows =
          Rows.rows(
              LivePlans.executor(new ExecutionContext(pool, scratch, new CancelToken(), 2), tally)
                  .collect(
                      session.physical().plan(session.optimize(planned.rel()), "query"), "query"));
      return rows + (tally.bytesSpilled.sum() > 0 ? " spilled" : "");
    } finally {
      assertEquals(0, pool.usedBytes());
      assertEquals(0, scratch.usedBytes());
    }
  }

  @Test
  void rowsThatMemoryDoesNotTakeWaitOnDisk() {
    String sql =
        "with recursive r(k, n) as (select k, 1 from (values %s) as v(k) union all select k, n + 1 from r where n < 80) select count(*), sum(k) / 80, max(n) from r"
            .formatted(
                IntStream.range(0, 2500)
                    .mapToObj(i -> "(" + i + ")")
                    .collect(Collectors.joining(", ")));

    assertEquals("[[200000, 3123750, 80]]", within(1 << 30, 1 << 30, sql));
    assertEquals("[[200000, 3123750, 80]] spilled", within(1 << 20, 1 << 30, sql));
  }

  @Test
  void twiceAsManyRowsInEachRoundEndAtTheDisk() {
    StepFailedException e =
        assertThrows(
            StepFailedException.class,
            () ->
                within(
                    1 << 22,
                    1 << 22,
                    "with recursive r(n) as (select cast(1 as bigint) union all select mod((r.n + v.x) * cast(48271 as bigint), 2147483647) from r, (values (1), (2)) as v(x)) select count(*) from r"));
    assertTrue(e.getMessage().contains("scratch"), e.getMessage());
  }
}

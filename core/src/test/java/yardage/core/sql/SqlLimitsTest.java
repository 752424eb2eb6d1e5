package yardage.core.sql;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.exec.CancelToken;
import yardage.core.exec.CancelledException;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.MemoryExceededException;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.Scratch;
import yardage.core.exec.StepFailedException;
import yardage.core.testing.LivePlans;
import yardage.core.testing.TestLake;

/** SQL that is made to hurt is refused in words, at its place, and takes no more than it may. */
class SqlLimitsTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
  }

  private static String repeated(int times, String what, String between) {
    return String.join(between, java.util.Collections.nCopies(times, what));
  }

  @Test
  void depthAndChainsAreRefusedWhereTheyGoTooFar() {
    List<String> hostile =
        List.of(
            "select " + "(".repeat(3_000) + "1" + ")".repeat(3_000),
            "select 1 from (values 1) as t(x) where " + repeated(5_000, "x > 0", " and "),
            "select " + repeated(3_000, "case when true then ", "") + "1" + " end".repeat(3_000),
            "select " + repeated(5_000, "1", " + "),
            "select " + repeated(4_000, "not ", "") + "true",
            repeated(2_000, "select 1", " union all "),
            "select " + "abs(".repeat(2_000) + "1" + ")".repeat(2_000),
            "select '" + "x".repeat(SqlSize.MAX_LENGTH) + "'");
    for (String sql : hostile) {
      SqlProblem problem =
          assertThrows(SqlProblemException.class, () -> lake.query(sql), sql.substring(0, 30))
              .problem();
      assertTrue(problem.message().contains("split it into steps"), problem.message());
    }
    SqlProblem placed =
        assertThrows(
                SqlProblemException.class,
                () -> lake.query("select\n  " + "(".repeat(300) + "1" + ")".repeat(300)))
            .problem();
    assertEquals(List.of(2, 203), List.of(placed.line(), placed.column()));
  }

  @Test
  void whatPeopleWriteIsTaken() {
    String numbers =
        IntStream.range(0, 3_000).mapToObj(String::valueOf).collect(Collectors.joining(", "));
    String columns =
        IntStream.range(0, 1_500)
            .mapToObj(i -> "x * %d as c%d".formatted(i, i))
            .collect(Collectors.joining(", "));
    assertEquals(
        "[[2]]",
        lake.query(
                "select count(*) from (values 1, 2, -3) as t(x) where x in (%s)".formatted(numbers))
            .toString());
    assertEquals(
        "[[1]]",
        lake.query(
                "select count(*) from (values 7) as u(y) where exists (select 1 from (values 1, 2) as t(x) where x < y and x in (%s))"
                    .formatted(numbers))
            .toString());
    assertEquals(
        1_500, lake.query("select %s from (values 1) as t(x)".formatted(columns)).get(0).size());
    assertEquals(
        "[[1]]", lake.query("select " + "(".repeat(150) + "1" + ")".repeat(150)).toString());
    assertEquals(
        "[[it's -- no ( comment]]",
        lake.query("select 'it''s -- no ( comment' /* ((( */").toString());
  }

  private static Object run(String sql, MemoryPool memory, CancelToken cancel) {
    PlanSession session = new PlanSession();
    var planned =
        session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(java.util.Map.of()));
    Executor executor =
        LivePlans.executor(new ExecutionContext(memory, Scratch.temporary(1L << 40), cancel, 2));
    return executor.collect(
        session.physical().plan(session.optimize(planned.rel()), "query"), "query");
  }

  @Test
  void textsThatExpressionsMakeAreCounted() {
    String text = "select 'a loom at work' as t from (values 1) as v(x)";
    for (int i = 0; i < 22; i++) {
      text = "select t || t as t from (%s) as v".formatted(text);
    }
    String grown = text;
    MemoryPool memory = MemoryPool.root("the query", 32 << 20);

    StepFailedException failed =
        assertThrows(
            StepFailedException.class,
            () ->
                run(
                    "select x, char_length(t) from (%s) as w, (values 1) as v(x)".formatted(grown),
                    memory,
                    new CancelToken()));

    assertTrue(failed.reason() instanceof MemoryExceededException, failed.toString());
    assertTrue(failed.reason().getMessage().contains("texts"), failed.reason().getMessage());
    assertEquals(0, memory.usedBytes(), "all memory is given back");
  }

  /** Rows from a join of ten by ten by ten … rows, and a number for each. */
  private static String product(int factors, String select) {
    String ten = "(values 0, 1, 2, 3, 4, 5, 6, 7, 8, 9)";
    String from =
        IntStream.range(0, factors)
            .mapToObj(i -> ten + " as t%d(x)".formatted(i))
            .collect(Collectors.joining(", "));
    String sum =
        IntStream.range(0, factors)
            .mapToObj(i -> "t%d.x".formatted(i))
            .collect(Collectors.joining(" + "));
    return select.formatted(sum, from);
  }

  @Test
  void aJoinThatMultipliesWithoutEndStopsWhenItIsTold() throws Exception {
    stopsWhenItIsTold(
        product(12, "select count(*) from (select %s as n from %s) as v where n > 50"));
  }

  @Test
  void aWindowWhoseFramesAreAllBegunAnewStopsWhenItIsTold() throws Exception {
    stopsWhenItIsTold(
        product(
            6,
            "select max(t) from (select percentile(n, 0.3) over (order by n rows 100000 preceding) as t from (select %s as n from %s) as v) as w"));
  }

  private static void stopsWhenItIsTold(String sql) throws InterruptedException {
    CancelToken cancel = new CancelToken();
    MemoryPool memory = MemoryPool.root("the query", 256 << 20);
    Throwable[] ended = new Throwable[1];
    Thread asker =
        new Thread(
            () -> {
              try {
                run(sql, memory, cancel);
              } catch (Throwable t) {
                ended[0] = t;
              }
            });
    asker.start();
    asker.join(2_500);
    assertTrue(asker.isAlive(), "it has hours to go");

    cancel.cancel("enough");
    asker.join(3_000);

    assertTrue(ended[0] instanceof CancelledException, String.valueOf(ended[0]));
    assertEquals(0, memory.usedBytes(), "all memory is given back");
  }

  /** A null is a row as any other. */
  @Test
  void aValueIsOfOneRow() {
    String query =
        "select (select x from (values %s) as v(x) where x is null or x > 0) from (values (1)) as t(y)";
    for (String rows :
        List.of("(1), (2)", "(1), (cast(null as int))", "(cast(null as int)), (null)")) {
      RuntimeException e =
          assertThrows(RuntimeException.class, () -> lake.query(query.formatted(rows)), rows);
      assertTrue(e.getMessage().contains("more than one row"), e.getMessage());
    }
    assertEquals("[[null]]", lake.query(query.formatted("(cast(null as int)), (0)")).toString());
    assertEquals("[[3]]", lake.query(query.formatted("(3), (0)")).toString());
  }
}

package yardage.core.pipeline.compile;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.document.Problem;
import yardage.core.exec.Tally;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.testing.TestLake;

/** What the check says of documents, and what the steps do when they run. */
class PipelineCheckTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void feeds() {
    lake = new TestLake(folder);
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntake: all\ntext: {header: true}\ncolumns: {roll: varchar, loom: varchar, metres: \"decimal(9, 2)\", day_woven: date}\n");
    lake.declare(
        "feed: looms\nfiles: looms/*\ntake: all\ntext: {header: true}\ncolumns: {loom: varchar, hall: varchar, metres: int}\n");
    lake.file(
        "rolls/1",
        "roll,loom,metres,day_woven\nr1, L1 ,10.50,2026-01-01\nr2,L2,2.00,2026-01-02\nr2,L2,3.00,2026-02-02\nr3,,4.00,2026-01-03\nr4,L9,5.00,\n");
    lake.file("looms/1", "loom,hall,metres\nL1,north,1\nL2,south,2\nL2,east,3\nL3,west,4\n");
  }

  private static String pipeline(String steps) {
    return "pipeline: p\nsteps:\n  rolls: {read: {feed: rolls}}\n  looms: {read: {feed: looms}}\n"
        + steps;
  }

  @Test
  void namesEveryProblemAtOnceWithItsPlaceAndAFix() {
    String text =
        """
        pipeline: Bad Name
        schedul: {cron: "0 0 31 2 *"}
        steps:
          rolls:
            read: {feed: rols}
          good:
            read: {feed: rolls}
          tidy:
            from: good
            shape:
              set: {a: metrs + 1, b: loom + 1}
              drop: [nothing]
          joined:
            from: tidyy
            join: {with: good, on: [roll], kind: outer}
          both:
            from: good
            keep: metres >
            dedupe: {by: [roll]}
          publish:
            from: good
            write: {table: Nowhere, mode: append}
        """;

    List<String> problems =
        lake.check(text).problems().stream()
            .map(p -> "%d:%d %s".formatted(p.place().line(), p.place().column(), p.message()))
            .toList();

    assertEquals(
        10,
        problems.size(),
        "and no other that only follows from these\n" + String.join("\n", problems));
    for (String expected :
        List.of(
            "1:11 Invalid name [Bad Name]",
            "2:1 There is no [schedul] here; did you mean [schedule]?",
            "5:18 There is no feed [rols]; did you mean [rolls]?",
            "11:16 There is no column [metrs]; did you mean [metres]?",
            "11:30 [+] does not go with varchar + integer; cast one side",
            "12:14 There is no column [nothing]",
            "14:11 There is no step [tidyy]; did you mean [tidy]?",
            "15:42 [outer] is not one of inner, left, right, full, semi, anti",
            "16:3 Step [both] has 2 verbs (keep, dedupe)",
            "22:20 Invalid table name [Nowhere]")) {
      assertTrue(
          problems.stream().anyMatch(p -> p.startsWith(expected)),
          expected + "\nis not among\n" + String.join("\n", problems));
    }
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "a: {from: b, keep: metres > 1}~  b: {from: a, keep: metres > 1}~  w: {from: a, write: {table: t.t}} | The steps go in a circle: ",
        "j: {from: rolls, join: {with: looms, on: {day_woven: loom}}}~  w: {from: j, write: {table: t.t}} | A join cannot compare [day_woven] of [rolls], which is date, with [loom] of [looms], which is varchar",
        "j: {from: rolls, join: {with: looms, on: [loom]}}~  w: {from: j, write: {table: t.t}} | [metres] is on both sides of the join, [rolls] and [looms]; add prefix: looms_",
        "q: {from: [rolls, looms], sql: 'select loom from rolls, looms'}~  w: {from: q, write: {table: t.t}} | The column [loom] is in rolls and in looms; write which one, as in rolls.loom",
        "a: {from: rolls, aggregate: {by: [loom], set: {m: metres}}}~  w: {from: a, write: {table: t.t}} | [metres] is neither in GROUP BY nor inside an aggregate such as sum or max",
        "k: {from: rolls, keep: metres > 'x'}~  w: {from: k, write: {table: t.t}} | [>] compares a number with text; cast one of them",
        "k: {from: rolls, keep: loom in ('a', 1)}~  w: {from: k, write: {table: t.t}} | [1)] is the end of the value before it: inside { } a comma ends a value",
        "k: {from: rolls, keep: \"loom in ('a', 1)\"}~  w: {from: k, write: {table: t.t}} | compares text with a number",
        "q: {from: [rolls, looms], sql: 'select r.hall from rolls r join looms l on r.loom = l.loom'}~  w: {from: q, write: {table: t.t}} | There is no column [hall] in [r]; l has one",
        "q: {from: rolls, sql: 'select metres from (select loom from rolls) x'}~  w: {from: q, write: {table: t.t}} | The column [metres] of rolls cannot be seen here",
        "q: {from: rolls, sql: 'select roundd(metres) from rolls'}~  w: {from: q, write: {table: t.t}} | There is no function [roundd]; did you mean [round]?",
        "q: {from: rolls, sql: 'select upper(metres) as u from rolls'}~  w: {from: q, write: {table: t.t}} | upper does not take (decimal(9, 2))",
        "q: {from: rolls, sql: ' '}~  w: {from: q, write: {table: t.t}} | The query is empty",
        "q: {from: rolls, sql: 'delete from rolls'}~  w: {from: q, write: {table: t.t}} | A query only reads",
        "k: {from: rolls, keep: metres > :least}~  w: {from: k, write: {table: t.t}} | There is no parameter [least]",
        "w: {from: rolls, write: {table: t.t, partition: [year(loom)]}} | Partition [year(loom)] needs a date or timestamp; [loom] is varchar",
        "k: {from: rolls, keep: metres + 1}~  w: {from: k, write: {table: t.t}} | This is no condition; compare it with something, as in id > 0",
        "w: {from: rolls, write: {table: t.t}}~  x: {from: looms, write: {table: t.t}} | Step [w] writes [t.t] too",
        "w: {from: rolls, write: {table: t.t}}~  x: {from: w, keep: 1 = 1} | Step [w] writes and gives no rows; read [rolls] instead",
        "k: {from: rolls, keep: metres > 1} | No step writes",
        "s: {from: [rolls, looms], stack: {}}~  c: {from: rolls, shape: {set: {hall: metres}}}~  t: {from: [c, looms], stack: {}}~  w: {from: t, write: {table: t.t}} | [hall] is varchar here and decimal(9, 2) before",
      })
  void explainsMistakes(String steps, String expected) {
    List<Problem> problems =
        lake.check(pipeline("  " + steps.replace("~", "\n") + "\n")).problems();

    assertTrue(
        problems.stream()
            .anyMatch(
                p -> p.severity() == Problem.Severity.ERROR && p.message().contains(expected)),
        expected + "\nis not among\n" + problems);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "a: {from: rolls, kep: metres > 1}~  w: {from: a, write: {table: t.t}} | There is no verb [kep]; did you mean [keep]?",
        "a: {from: rolls, keep: metres > 1}~  w: {from: a, wriet: {table: t.t}} | There is no verb [wriet]; did you mean [write]?",
        "a: {from: rolls, cast: {x: int}}~  w: {from: a, write: {table: t.t}} | There is no verb [cast]; a step has one of read, shape",
        "a: {from: rolls}~  b: {from: a, keep: metres > 1}~  w: {from: b, write: {table: t.t}} | Step [a] has no verb; a step has one of",
        "a: {from: rolls, keep: metrs > 1}~  b: {from: a, keep: loom = 'L1'}~  w: {from: b, write: {table: t.t}} | There is no column [metrs]; did you mean [metres]?",
      })
  void oneMistakeIsOneErrorAndNothingFollowsFromIt(String steps, String expected) {
    List<Problem> errors =
        lake.check(pipeline("  " + steps.replace("~", "\n") + "\n")).problems().stream()
            .filter(p -> p.severity() == Problem.Severity.ERROR)
            .toList();

    assertEquals(1, errors.size(), errors.toString());
    assertTrue(errors.get(0).message().startsWith(expected), errors.toString());
  }

  @Test
  void knowsEveryStepsColumnsAndTypesBeforeARun() {
    PipelineCheck check =
        lake.check(
            pipeline(
                """
                  tidy: {from: rolls, shape: {trim: {of: varchar}, rename: {metres: length}, set: {half: length / 2, day_text: cast(day_woven as varchar)}, drop: {like: "day_w*"}}}
                  joined: {from: tidy, join: {with: looms, on: [loom], kind: left}}
                  totals: {from: joined, aggregate: {by: [hall], set: {n: count(*), m: sum(length), a: avg(length)}}}
                  w: {from: totals, write: {table: t.t}}
                """));

    assertFalse(check.hasErrors(), check.problems().toString());
    assertEquals(
        "[roll varchar, loom varchar, length decimal(9, 2), half decimal(17, 8), day_text varchar]",
        columns(check, "tidy").replaceAll("half decimal\\(\\d+, \\d+\\)", "half decimal(17, 8)"));
    assertEquals(
        "[roll varchar, loom varchar, length decimal(9, 2), half decimal, day_text varchar, hall varchar, metres int]",
        columns(check, "joined").replaceAll("half decimal\\(\\d+, \\d+\\)", "half decimal"));
    assertEquals(
        "[hall varchar, n bigint, m decimal(18, 2), a decimal(13, 6)]", columns(check, "totals"));
  }

  private static String columns(PipelineCheck check, String step) {
    return check.schema(step).fields().stream()
        .map(f -> f.name() + " " + f.type())
        .toList()
        .toString();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "inner | 3 | 2 | 1 | 0 | 4",
        "left  | 5 | 0 | 1 | 0 | 4",
        "right | 4 | 2 | 1 | 1 | 4",
        "full  | 6 | 0 | 1 | 1 | 4",
        "semi  | 2 | 2 | 0 | 0 | 4",
        "anti  | 2 | 0 | 0 | 0 | 4",
      })
  void everyKindOfJoinAccountsForEveryRow(
      String kind, long out, long unmatched, long multiplied, long added, long absorbed) {
    // Loom L2 stands there twice; r3 has no loom, and r4 one that is not there.
    Map<String, Tally> tallies =
        lake.run(
            pipeline(
                """
                  tidy: {from: rolls, shape: {trim: {of: varchar}}}
                  once: {from: tidy, dedupe: {by: [roll], keep: last, order: [day_woven]}}
                  joined: {from: once, join: {with: looms, on: [loom], kind: %s, take: [hall]}}
                  w: {from: joined, write: {table: t.joined, mode: replace}}
                """
                    .formatted(kind)));
    Tally t = tallies.get("joined");

    assertEquals(
        List.of(out, unmatched, multiplied, added, absorbed),
        List.of(t.rowsOut(), t.unmatched(), t.multiplied(), t.added(), t.absorbed()),
        t.toString());
    assertEquals(1, tallies.get("once").merged());
    assertEquals(0, t.imbalance());
    boolean rightKept = kind.equals("right") || kind.equals("full");
    assertEquals(
        rightKept ? 1L : 0L,
        lake.query("select count(*) from t.joined where loom = 'L3'").get(0).get(0),
        "a row that only the right side has brings its key");
  }

  @Test
  void stacksByNameWithWidenedTypesAndReadsASharedStepOnce() {
    Map<String, Tally> tallies =
        lake.run(
            pipeline(
                """
                  all: {from: [rolls, looms], stack: {}}
                  w: {from: all, write: {table: t.stacked, mode: replace}}
                  few: {from: rolls, sql: "select loom, max(metres) as most from rolls group by loom"}
                  v: {from: few, write: {table: t.few, mode: replace}}
                """));

    assertEquals(5, tallies.get("rolls").rowsIn());
    assertEquals(9, tallies.get("all").rowsOut());
    assertEquals(
        List.of(Arrays.asList(null, "L3", new BigDecimal("4.00"), null, "west")),
        lake.query("select * from t.stacked where hall = 'west'"));
    assertEquals(4, tallies.get("v").rowsOut());
  }

  @Test
  void aWriteRefusesATableThatIsThereWithOtherColumns() {
    lake.run(pipeline("  w: {from: looms, write: {table: t.looms}}\n"));

    String message =
        lake
            .check(
                pipeline(
                    "  few: {from: looms, shape: {drop: [hall], set: {metres: cast(metres as bigint)}}}\n  w: {from: few, write: {table: t.looms}}\n"))
            .problems()
            .stream()
            .map(Problem::message)
            .filter(m -> m.startsWith("Table"))
            .findFirst()
            .orElse("");

    assertTrue(
        message.contains("[metres] is bigint here and int in the table; [hall] is missing here"),
        message);
  }

  private void manyRolls() {
    StringBuilder rows = new StringBuilder("roll,loom,metres,day_woven\n");
    for (int i = 0; i < 400_000; i++) {
      rows.append(Long.toHexString(i * 0x9E3779B97F4A7C15L)).append(",L1,1.00,2026-01-01\n");
    }
    lake.file("rolls/2", rows.toString());
  }

  /** Two files are read at a time where there is memory for two buffers. */
  @Test
  void aReaderThatFindsNoMemoryWaitsForTheOther() {
    manyRolls();
    lake.run(
        pipeline(
            "  all: {from: rolls, aggregate: {by: [loom], set: {n: count(*)}}}\n  w: {from: all, write: {table: t.w}}\n"),
        1_900_000);

    assertEquals("[[400005]]", lake.query("select sum(n) from t.w").toString());
  }

  @Test
  void aRunBeyondItsMemoryGoesToDiskAndWhatCannotFailsWithAClearMessage() {
    manyRolls();
    String once =
        "  once: {from: rolls, dedupe: {by: [roll]}}\n  w: {from: once, write: {table: t.w}}\n";
    assertTrue(lake.run(pipeline(once), 12 << 20).get("once").bytesSpilled() > 0);
    assertEquals(
        "[[400004, 400004]]",
        lake.query("select count(*), count(distinct roll) from t.w").toString());

    lake.run(
        pipeline(
            "  once: {from: rolls, shape: {set: {n: row_number() over (order by roll)}}}\n  w: {from: once, write: {table: t.t}}\n"),
        6 << 20);
    assertEquals(
        "[[400005, 1, 400005]]",
        lake.query("select count(distinct n), min(n), max(n) from t.t").toString());

    RunFailedException e =
        assertThrows(
            RunFailedException.class,
            () ->
                lake.run(
                    pipeline(
                        "  once: {from: rolls, aggregate: {by: [loom], set: {n: list_of(roll)}}}\n  w: {from: once, write: {table: t.u}}\n"),
                    6 << 20));

    assertEquals("memory", e.code());
    assertEquals("once", e.step());
    assertTrue(
        e.getMessage().contains("Step [once] needs") && e.getMessage().contains("raise run-memory"),
        e.getMessage());
    assertEquals(2, lake.tables().size());
    assertTrue(lake.lake().unsettledRuns().isEmpty());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "rolls/none.csv | names the file [rolls/none.csv], which is not in the inbox",
        "rolls          | names the folder [rolls] where it needs files; write rolls/*",
      })
  void aMissingFileAndAFolderAreTold(String files, String expected) {
    lake.declare(
        "feed: rolls\nfiles: " + files + "\ntext: {header: true}\ncolumns: {roll: varchar}\n");

    RunFailedException e =
        assertThrows(
            RunFailedException.class,
            () ->
                lake.run(
                    "pipeline: p\nsteps:\n  rolls: {read: {feed: rolls}}\n  w: {from: rolls, write: {table: t.t}}\n"));

    assertTrue(e.getMessage().contains(expected), e.getMessage());
  }

  @Test
  void aDivisionByZeroNamesTheStepAndTheValues() {
    RunFailedException e =
        assertThrows(
            RunFailedException.class,
            () ->
                lake.run(
                    pipeline(
                        "  bad: {from: rolls, shape: {set: {x: 1 / (metres - metres)}}}\n  w: {from: bad, write: {table: t.t}}\n")));

    assertEquals("bad", e.step());
    assertTrue(e.getMessage().contains("Division by zero: [1] / 0"), e.getMessage());
  }

  /** Steps that are read twice, whose readers meet again, one such diamond behind the other. */
  private static String diamonds(int count) {
    StringBuilder out =
        new StringBuilder("pipeline: diamonds\nsteps:\n  s0: {read: {feed: rolls}}\n");
    for (int i = 0; i < count; i++) {
      out.append(
          "  a%1$d: {from: s%1$d, keep: loom is not null}\n  b%1$d: {from: s%1$d, keep: loom is null}\n  s%2$d: {from: [a%1$d, b%1$d], stack: {}}\n"
              .formatted(i, i + 1));
    }
    return out + "  out: {from: s%d, write: {table: t.diamonds, mode: replace}}\n".formatted(count);
  }

  @Test
  void theWorkOfACheckGrowsWithTheStepsAndNotWithTheWaysThroughThem(@TempDir Path folder) {
    TestLake lake =
        new TestLake(folder)
            .declare(
                "feed: rolls\nfiles: rolls/*.csv\ntext: {}\ncolumns: {roll: int, loom: varchar}\n");
    lake.file("rolls/1.csv", "roll,loom\n1,L1\n2,\n");

    // 2 to the power of 60 ways: a check that walked them would never end.
    PipelineCheck check =
        assertTimeoutPreemptively(
            Duration.ofSeconds(60), () -> lake.check(diamonds(60)), "60 diamonds");

    assertEquals(List.of("partial-replace"), check.problems().stream().map(Problem::code).toList());
    assertEquals(List.of("rolls"), PipelineCheck.feedsOf(check.document(), "out"));
    ColumnLineage lineage =
        assertTimeoutPreemptively(
            Duration.ofSeconds(60),
            () -> {
              ColumnLineage l = ColumnLineage.of(check);
              assertEquals(182, l.sameBehind(new ColumnLineage.At("out", "roll")).size());
              assertEquals(182, l.sameAhead(new ColumnLineage.At("s0", "roll")).size());
              return l;
            });
    assertEquals(2, lineage.from(new ColumnLineage.At("s1", "roll")).size());
    assertEquals(
        2,
        assertTimeoutPreemptively(Duration.ofSeconds(60), () -> lake.run(diamonds(20)))
            .get("out")
            .rowsOut());
    assertEquals(
        List.of("too-many-steps"),
        lake.check(diamonds(400)).problems().stream().map(Problem::code).toList());
  }
}

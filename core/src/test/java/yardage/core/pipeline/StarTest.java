package yardage.core.pipeline;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.stream.Collectors;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.document.Problem;
import yardage.core.exec.Tally;
import yardage.core.pipeline.compile.ColumnLineage;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.testing.TestLake;

/** Dimensions, facts and the calendar; history against a replay of all changes. */
class StarTest {
  private static final long SEED = Long.getLong("yardage.seed", 42);
  private static final String DIMENSION =
      """
      pipeline: d
      steps:
        looms: {read: {feed: looms}}
        dim:
          from: looms
          dimension: {table: mart.dim_loom, key: [code], history: [hall], changed-at: since, gone: mark}
        out: {from: dim, write: {table: mart.dim_loom, mode: replace}}
      """;

  private static final String LOOMS =
      "feed: looms\nfiles: looms/*\nintake: {replaced: take}\ntake: all\ntext: {}\ncolumns: {code: varchar, hall: varchar, maker: varchar, since: date}\n";

  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
    lake.declare(LOOMS);
  }

  private void looms(String rows) {
    lake.file("looms/1", "code,hall,maker,since\n" + rows);
  }

  private String members() {
    return lake
        .query(
            "select loom_key, code, hall, maker, cast(valid_from as date), cast(valid_to as date), is_current, gone_at is not null from mart.dim_loom where loom_key > 0 order by code, valid_from")
        .stream()
        .map(r -> r.stream().map(String::valueOf).collect(Collectors.joining(" ")) + "\n")
        .collect(Collectors.joining());
  }

  @Test
  void keysStayHistoryGrowsAndTheSameInputChangesNothing() {
    looms("L1,north,Veloz,2026-01-01\nL2,south,Veloz,2026-01-01\n");
    lake.run(DIMENSION);
    looms("L1,east,Rapid,2026-03-01\nL3,west,Rapid,2026-02-01\n");
    lake.run(DIMENSION);
    String after = members();
    String snapshot =
        lake.table(yardage.core.lake.TableName.parse("mart.dim_loom"))
            .orElseThrow()
            .snapshots()
            .toString();
    lake.run(DIMENSION);

    assertEquals(
        """
        1 L1 north Rapid 2026-01-01 2026-03-01 false false
        3 L1 east Rapid 2026-03-01 null true false
        2 L2 south Veloz 2026-01-01 null true true
        4 L3 west Rapid 2026-02-01 null true false
        """,
        after);
    assertEquals(after, members());
    assertEquals(
        snapshot,
        lake.table(yardage.core.lake.TableName.parse("mart.dim_loom"))
            .orElseThrow()
            .snapshots()
            .toString(),
        "nothing was published");
    assertTrue(
        lake.log().contains("out: nothing changes in mart.dim_loom, so it is left as it is"));
    assertEquals(
        "[[-2, null, not applicable], [-1, null, unknown]]",
        lake.query("select loom_key, code, hall from mart.dim_loom where loom_key < 0 order by 1")
            .toString());

    looms("L1,attic,Rapid,2026-02-01\nL2,south,Veloz,2026-01-01\nL3,west,Rapid,2026-02-01\n");
    lake.run(DIMENSION);

    assertEquals(
        """
        1 L1 north Rapid 2026-01-01 2026-02-01 false false
        5 L1 attic Rapid 2026-02-01 2026-03-01 false false
        3 L1 east Rapid 2026-03-01 null true false
        2 L2 south Veloz 2026-01-01 null true false
        4 L3 west Rapid 2026-02-01 null true false
        """,
        members(),
        "a late change comes between, and a member comes back");
  }

  @Test
  void factsThatComeFirstGetPlaceholders() {
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntake: all\nintake: {replaced: take}\ntext: {}\ncolumns: {roll: varchar, code: varchar, woven: date, metres: int}\n");
    lake.file(
        "rolls/1",
        "roll,code,woven,metres\nR1,L1,2026-01-05,10\nR2,L9,2026-01-06,20\nR3,L9,2026-02-06,30\nR4,,2026-02-06,40\n");
    looms("L1,north,Veloz,2026-01-01\n");
    String star =
        """
        pipeline: d
        steps:
          looms: {read: {feed: looms}}
          rolls: {read: {feed: rolls}}
          dim:
            from: looms
            dimension: {table: mart.dim_loom, key: [code], history: [hall], changed-at: since, gone: mark}
          fact:
            from: rolls
            fact: {grain: [roll], keep: [roll], measures: [metres], keys: {loom_key: {dimension: dim, on: [code], at: woven, orphans: placeholder}}}
          out: {from: dim, write: {table: mart.dim_loom, mode: replace}}
          publish: {from: fact, write: {table: mart.fact, mode: replace}}
        """;
    String members =
        "select loom_key, code, hall, cast(valid_from as date), is_current, gone_at is not null, is_placeholder from mart.dim_loom where loom_key > 0 order by code, valid_from";
    var tallies = lake.run(star);

    assertEquals(
        "[[1, L1, north, 2026-01-01, true, false, false], [2, L9, null, 1900-01-01, true, false, true]]",
        lake.query(members).toString());
    assertEquals(
        "[[R1, 1], [R2, 2], [R3, 2], [R4, -2]]",
        lake.query("select roll, loom_key from mart.fact order by 1").toString());
    assertEquals(4, tallies.get("dim").rightIn(), "the fact's rows are looked at");
    String state = lake.query("select * from mart.dim_loom order by 1").toString();
    lake.run(star);
    assertEquals(state, lake.query("select * from mart.dim_loom order by 1").toString());

    looms("L1,north,Veloz,2026-01-01\nL9,east,Rapid,2026-02-01\n");
    lake.run(star);

    assertEquals(
        "[[1, L1, north, 2026-01-01, true, false, false], [2, L9, east, 1900-01-01, false, false, false], [3, L9, east, 2026-02-01, true, false, false]]",
        lake.query(members).toString(),
        "the member came: it is completed, and keeps its key");
    assertTrue(lake.log().contains("dim: 1 placeholders completed"), lake.log().toString());

    looms("L1,north,Veloz,2026-01-01\nL9,west,Rapid,2026-01-15\nL9,east,Rapid,2026-02-01\n");
    lake.run(star);

    assertEquals(
        "[[2, east, 1900-01-01], [4, west, 2026-01-15], [3, east, 2026-02-01]]",
        lake.query(
                "select loom_key, hall, cast(valid_from as date) from mart.dim_loom where code = 'L9' order by valid_from")
            .toString(),
        "a change that comes late finds its place");
    assertEquals(
        "[[R1, 1], [R2, 2], [R3, 3], [R4, -2]]",
        lake.query("select roll, loom_key from mart.fact order by 1").toString());
  }

  /**
   * A table of members that is larger than the memory is sorted on disk, and comes out the same.
   */
  @Test
  void aDimensionMayBeLargerThanItsMemory() {
    TestLake small = new TestLake(folder.resolve("small"));
    SplittableRandom random = new SplittableRandom(SEED);
    List<Map<String, Tally>> counts = new ArrayList<>();
    for (int day = 1; day <= 2; day++) {
      StringBuilder rows = new StringBuilder("code,hall,maker,since\n");
      for (int i = 0; i < 90_000; i++) {
        int moved = day == 2 && i % 100 == 0 ? 1 : 0;
        rows.append(
            "L%d,hall %d,made %d,2026-01-0%d\n"
                .formatted(i, i % 7 + moved, new SplittableRandom(i).nextLong(), day));
      }
      for (int i = 0; i < 3_000; i++) {
        rows.append(
            "M,hall %d,Veloz,2025-%02d-%02d\n"
                .formatted(i, random.nextInt(1, 13), random.nextInt(1, 29)));
      }
      for (TestLake l : List.of(lake, small)) {
        l.declare(LOOMS).file("looms/1", rows.toString());
        counts.add(l.run(DIMENSION, l == small ? 4L << 20 : 512L << 20));
      }
    }

    String all = "select * from mart.dim_loom order by loom_key";
    assertTrue(lake.query(all).size() > 90_900 + 300, "versions of members");
    assertEquals(lake.query(all), small.query(all));
    for (int i = 0; i < counts.size(); i += 2) {
      Tally roomy = counts.get(i).get("dim");
      Tally tight = counts.get(i + 1).get("dim");
      assertEquals(0, roomy.bytesSpilled());
      assertTrue(tight.bytesSpilled() > 0);
      assertEquals(
          List.of(roomy.rowsIn(), roomy.rowsOut(), roomy.merged(), roomy.added(), roomy.filtered()),
          List.of(
              tight.rowsIn(), tight.rowsOut(), tight.merged(), tight.added(), tight.filtered()));
    }
  }

  /** Which worker wrote a row first is chance; a key must not be. */
  @Test
  void newKeysDoNotDependOnTheOrderOfRows() {
    looms("L9,north,Veloz,2026-01-01\nL2,south,Veloz,2026-01-01\nL10,south,Veloz,2026-01-01\n");
    lake.run(DIMENSION);
    String some = members();
    looms(
        "L30,north,Veloz,2026-01-01\nL9,attic,Veloz,2026-02-01\nL4,south,Veloz,2026-01-01\nL2,east,Veloz,2026-02-01\nL10,south,Veloz,2026-01-01\n");
    lake.run(DIMENSION);

    assertEquals(
        """
        1 L10 south Veloz 2026-01-01 null true false
        2 L2 south Veloz 2026-01-01 null true false
        3 L9 north Veloz 2026-01-01 null true false
        """,
        some);
    assertEquals(
        """
        1 L10 south Veloz 2026-01-01 null true false
        2 L2 south Veloz 2026-01-01 2026-02-01 false false
        4 L2 east Veloz 2026-02-01 null true false
        5 L30 north Veloz 2026-01-01 null true false
        6 L4 south Veloz 2026-01-01 null true false
        3 L9 north Veloz 2026-01-01 2026-02-01 false false
        7 L9 attic Veloz 2026-02-01 null true false
        """,
        members());
  }

  @Test
  void aCalendarKnowsHolidays() {
    lake.declare(
        "feed: off\nfiles: off/*\ntake: all\ntext: {}\ncolumns: {day: date, called: varchar}\n");
    lake.file(
        "off/1",
        "day,called\n2026-01-01,New Year\n2026-01-03,Mill feast\n2026-01-03,Fair\n2031-01-01,Later\n,Never\n");
    String calendar =
        """
        pipeline: c
        steps:
          off: {read: {feed: off}}
          days: {calendar: {first: 2026-01-01, last: 2026-01-05, holidays: {step: off, day: day%s}}}
          out: {from: days, write: {table: mart.days, mode: replace}}
        """;
    var tally = lake.run(calendar.formatted(", name: called")).get("days");

    assertEquals(
        "[[1, true, false, New Year], [2, false, true, null], [3, true, false, Fair, Mill feast], [4, false, false, null], [5, false, true, null]]",
        lake.query(
                "select day_of_month, is_holiday, is_working_day, holiday_name from mart.days order by 1")
            .toString());
    assertEquals(List.of(5L, 5L, 5L), List.of(tally.rowsIn(), tally.rightIn(), tally.rowsOut()));
    ColumnLineage lineage = ColumnLineage.of(lake.check(calendar.formatted(", name: called")));
    assertEquals(
        List.of("off", "called"),
        lineage.from(new ColumnLineage.At("days", "holiday_name")).stream()
            .flatMap(f -> java.util.stream.Stream.of(f.at().step(), f.at().column()))
            .toList());
    assertTrue(lineage.from(new ColumnLineage.At("days", "iso_week")).isEmpty());
    assertTrue(
        lake.check(calendar.formatted(", name: nam"))
            .problems()
            .get(0)
            .message()
            .contains("[nam]"));
    assertTrue(
        lake.check(calendar.replace("day: day%s", "day: called"))
            .problems()
            .get(0)
            .message()
            .contains("[called] is varchar, and a holiday is a date"));
  }

  /** Changes in any order of arrival, in several runs, give what they give in the order of time. */
  @Test
  void historyIsThatOfAReplay() {
    SplittableRandom random = new SplittableRandom(SEED);
    List<String> changes = new ArrayList<>();
    Map<String, TreeMap<LocalDate, String>> replay = new TreeMap<>();
    for (int i = 0; i < 120; i++) {
      String code = "L" + random.nextInt(8);
      LocalDate since = LocalDate.of(2026, 1, 1).plusDays(i);
      String hall = "hall" + i;
      changes.add("%s,%s,Veloz,%s".formatted(code, hall, since));
      replay.computeIfAbsent(code, c -> new TreeMap<>()).put(since, hall);
    }
    java.util.Collections.shuffle(changes, new java.util.Random(SEED));
    for (int run = 0; run < 4; run++) {
      looms(String.join("\n", changes.subList(run * 30, run * 30 + 30)) + "\n");
      lake.run(DIMENSION);
    }

    List<String> expected = new ArrayList<>();
    replay.forEach(
        (code, byDay) ->
            byDay.forEach(
                (day, hall) -> {
                  LocalDate next = byDay.higherKey(day);
                  expected.add(
                      "[%s, %s, %s, %s, %s]".formatted(code, hall, day, next, next == null));
                }));
    List<String> found =
        lake
            .query(
                "select code, hall, cast(valid_from as date), cast(valid_to as date), is_current from mart.dim_loom where loom_key > 0")
            .stream()
            .map(Object::toString)
            .sorted(Comparator.naturalOrder())
            .toList();
    assertEquals(
        String.join("\n", expected.stream().sorted().toList()),
        String.join("\n", found),
        "seed " + SEED);
    assertEquals(
        List.of(List.of(122L)),
        lake.query("select count(distinct loom_key) from mart.dim_loom"),
        "every version has a key of its own");
  }

  @Test
  void factsFindTheMemberOfTheirTime() {
    looms("L1,north,Veloz,2026-01-01\n");
    lake.run(DIMENSION);
    looms("L1,east,Veloz,2026-03-01\n");
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntake: all\ntext: {}\ncolumns: {roll: varchar, loom: varchar, woven: date, metres: int, note: varchar}\n");
    lake.file(
        "rolls/1",
        "roll,loom,woven,metres,note\nR1,L1,2026-02-28,5,x\nR2,L1,2026-03-01,6,x\nR3,L9,2026-03-01,7,x\nR4,,2026-03-01,8,x\nR5,L1,2025-12-31,9,x\n");
    String fact =
        """
        pipeline: f
        steps:
          looms: {read: {feed: looms}}
          dim:
            from: looms
            dimension: {table: mart.dim_loom, key: [code], history: [hall], changed-at: since, gone: mark}
          out: {from: dim, write: {table: mart.dim_loom, mode: replace}}
          rolls: {read: {feed: rolls}}
          facts:
            from: rolls
            fact: {grain: [roll], keys: {loom_key: {dimension: dim, on: {loom: code}, at: woven%s}}, measures: [metres], keep: [roll]}
          mart: {from: facts, write: {table: mart.%s, mode: replace}}
        """;

    lake.run(fact.formatted("", "rolls"));
    var aside = lake.run(fact.formatted(", orphans: set-aside", "known"));

    assertEquals(
        "[[1, R1, 5], [2, R2, 6], [-1, R3, 7], [-2, R4, 8], [-1, R5, 9]]",
        lake.query("select * from mart.rolls order by roll").toString());
    assertEquals(
        "[[1, R1, 5], [2, R2, 6], [-2, R4, 8]]",
        lake.query("select * from mart.known order by roll").toString());
    assertEquals(2, aside.get("facts").setAside());

    lake.file("rolls/2", "roll,loom,woven,metres,note\nR1,L1,2026-02-28,5,x\n");
    RunFailedException twice =
        assertThrows(RunFailedException.class, () -> lake.run(fact.formatted("", "rolls")));
    assertTrue(
        twice.getMessage().contains("several rows have the same roll: 2 of 6"), twice.getMessage());
  }

  @Test
  void aCalendarCountsWeeksAsTheStandardDoes() {
    lake.run(
        "pipeline: c\nsteps:\n  days: {calendar: {first: 2026-12-27, last: 2027-01-05, fiscal-start: 4}}\n  out: {from: days, write: {table: mart.dim_day}}\n");

    assertEquals(
        "[[20261227, 2026, 52, 7, Sunday, true, 2027, 3], [20261231, 2026, 53, 4, Thursday, false, 2027, 3], [20270101, 2026, 53, 5, Friday, false, 2027, 4], [20270104, 2027, 1, 1, Monday, false, 2027, 4]]",
        lake.query(
                "select day_key, iso_year, iso_week, day_of_week, weekday_name, is_weekend, fiscal_year, fiscal_quarter from mart.dim_day where day_of_month in (27, 31, 1, 4) order by 1")
            .toString());
    assertEquals(
        "[[10, 1]]",
        lake.query("select count(*), count(case when is_month_end then 1 end) from mart.dim_day")
            .toString());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '`',
      value = {
        "dimension: {table: mart.d} ` [key] is missing",
        "dimension: {table: mart.d, key: [nothing]} ` There is no column [nothing]",
        "dimension: {table: mart.d, key: [code], changed-at: hall} ` a time of change is a date",
        "dimension: {table: mart.d, key: [code], surrogate: maker} ` choose another surrogate",
        "fact: {grain: [code], keys: {k: {dimension: looms, on: [code]}}} ` first column of a dimension is its surrogate key",
        "fact: {grain: [code], keys: {code: {dimension: looms, on: [code]}}} ` There is a column [code] already",
        "fact: {grain: [code], measures: [hall], keys: {}} ` a measure is a number",
        "fact: {keys: {k: {on: [code]}}} ` [grain] is missing",
        "fact: {grain: [code], keys: {k: {dimension: looms, on: [code], orphans: placeholder}}} ` [looms] is none; name one",
        "dimension: {table: mart.d, key: [code, hall]}}~  f: {from: looms, fact: {grain: [code], keys: {k: {dimension: s, on: [code], orphans: placeholder}}} ` the whole natural key [code, hall]",
      })
  void saysWhatIsWrong(String step, String expected) {
    List<String> problems =
        lake
            .check(
                "pipeline: p\nsteps:\n  looms: {read: {feed: looms}}\n  s: {from: looms, "
                    + step.replace("~", "\n")
                    + "}\n  out: {from: s, write: {table: mart.d, mode: replace}}\n")
            .problems()
            .stream()
            .filter(p -> p.severity() == Problem.Severity.ERROR)
            .map(Problem::message)
            .toList();

    assertTrue(problems.stream().anyMatch(p -> p.contains(expected)), problems.toString());
  }
}

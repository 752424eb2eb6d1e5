package yardage.core.star.model;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.sql.SqlNode;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import yardage.core.document.Problem;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.sql.SqlProblemException;
import yardage.core.task.TaskEndpoints;
import yardage.core.testing.Rows;

/** A star by name: its faults are found when they are planted, and queries name its measures. */
class StarModelTest {
  private static final String STAR =
      """
      star: cloth
      dimensions:
        loom: {table: d.loom, key: loom_key}
        day: {table: d.day, key: day_key, time: true}
      facts:
        rolls:
          table: f.rolls
          grain: [roll]
          keys: {loom_key: loom, day_key: day}
          keep: [roll]
          measures:
            woven: {is: sum(metres)}
            per_roll: {is: 1.0 * sum(metres) / count(*), adds: not}
            stock: {is: sum(metres) - sum(sold), adds: not-over-time}
      """;

  @TempDir Path folder;
  private LakeOfStars tables;

  @BeforeEach
  void sound() {
    tables = new LakeOfStars(folder);
    tables.table(
        "d.loom", "loom_key int, loom varchar, hall varchar", "-1,?,?", "1,L1,North", "2,L2,South");
    tables.table(
        "d.day", "day_key int, day date, month_number int", "5,2026-03-05,3", "6,2026-04-06,4");
    tables.table(
        "f.rolls",
        "roll varchar, loom_key int, day_key int, metres int, sold int",
        "R1,1,5,10,1",
        "R2,1,6,20,2",
        "R3,2,5,30,3",
        "R4,-1,5,40,4");
  }

  private Map<String, Relation> relations() {
    Map<String, Relation> out = new LinkedHashMap<>();
    tables
        .lake()
        .tables()
        .forEach(
            t -> out.put(t.toString(), new TableRelation(tables.lake().table(t).orElseThrow())));
    return out;
  }

  private StarCheck.Report check(String text) {
    StarModel.Parsed parsed = StarModel.parse(text);
    assertEquals(List.of(), parsed.problems());
    return StarCheck.of(parsed.model().orElseThrow(), tables, true);
  }

  private List<List<Object>> query(String sql) {
    return query(sql, Map.of());
  }

  private List<List<Object>> query(String sql, Map<String, String> given) {
    PlanSession session = new PlanSession();
    StarSql stars = new StarSql(List.of(StarModel.parse(STAR).model().orElseThrow()), tables);
    Map<String, Optional<String>> values = new LinkedHashMap<>();
    given.forEach((n, v) -> values.put(n, Optional.of(v)));
    SqlNode parsed =
        session.parseQuery(sql, values, q -> stars.named(new PlanSession(), q, relations()));
    RelNode rel = stars.plan(session, parsed, relations());
    Executor executor =
        new Executor(
            ExecutionContext.standalone(1 << 28),
            TaskEndpoints.reading(tables.lake().lake()),
            step -> new StepTally(step, "sql"));
    return Rows.rows(
        executor.collect(session.physical().plan(session.optimize(rel), "query"), "query"));
  }

  /** What stands beside a parameter may be an attribute of a dimension, or a measure. */
  @Test
  void parametersHaveTheTypesOfWhatAStarGives() {
    assertEquals(
        List.of(List.of("North", 30L)),
        query(
            "select loom_hall, woven from cloth.rolls where loom_hall = :hall and day_month_number >= :month group by loom_hall having woven > :least",
            Map.of("hall", "North", "month", "3", "least", "20")));
    SqlProblemException wrong =
        assertThrows(
            SqlProblemException.class,
            () ->
                query(
                    "select roll from cloth.rolls where day_month_number = :month",
                    Map.of("month", "March")));
    assertTrue(wrong.getMessage().contains("[March]"), wrong.getMessage());
  }

  @Test
  void aSoundStarIsQuietAndSaysHowItsKeysResolve() {
    StarCheck.Report report = check(STAR);

    assertEquals(List.of(), report.problems());
    assertEquals(
        List.of(
            new StarCheck.KeyReport("rolls", "loom_key", "loom", 4, 0, 1, 0),
            new StarCheck.KeyReport("rolls", "day_key", "day", 4, 0, 0, 0)),
        report.keys());
  }

  @Test
  void eachFaultIsFoundWhenItIsPlanted() {
    tables.table(
        "g.rolls",
        "roll varchar, loom_key int, day_key int, metres int, sold int, note varchar, width int",
        "R1,1,5,10,1,n,3",
        "R1,9,6,20,2,n,3");
    tables.table(
        "g.loom",
        "loom_key int, loom varchar, hall varchar, day_key int, speed decimal(9@2)"
            .replace('@', ','),
        "1,L1,North,5,1.5",
        "1,L2,South,5,2.5");

    String faulty = STAR.replace("d.loom", "g.loom").replace("f.rolls", "g.rolls");
    List<String> found =
        check(faulty).problems().stream().map(p -> p.step() + " " + p.code()).toList();

    assertEquals(
        List.of(
            "loom measure-in-dimension",
            "rolls text-in-fact",
            "rolls unused-column",
            "loom dimension-on-dimension",
            "loom key-not-unique",
            "rolls grain-not-unique",
            "rolls key-unresolved"),
        found);
    String messages = check(faulty).problems().toString();
    assertTrue(messages.contains("R1 (2 times)"), messages);
    assertTrue(
        messages.contains(
            "1 of 2 rows have a [loom_key] that is in no row of [g.loom]: 9 (1 times)"),
        messages);
    assertTrue(messages.contains("join: {with: day, on: [day_key], kind: lookup}"), messages);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "d.loom | d.lom | unknown-table",
        "grain: [roll] | grain: [rol] | unknown-column",
        "sum(metres)} | sum(meters)} | wrong-sql",
        "sum(metres)} | metres} | no-aggregate",
        "sum(metres)} | max(roll)} | wrong-type",
        "woven: | metres: | duplicate-column",
      })
  void whatCannotBeIsToldAtItsPlace(String part, String wrong, String code) {
    List<Problem> problems = check(STAR.replace(part, wrong)).problems();

    assertEquals(code, problems.get(0).code(), problems.toString());
    assertTrue(problems.get(0).place().line() > 1, problems.toString());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "loom_key: loom, | loom_key: lom, | There is no dimension [lom]; there are loom, day",
        "grain: [roll] | gran: [roll] | [grain] is missing",
        "adds: not} | adds: never} | [never] is not one of fully, not-over-time, not",
        "star: cloth | star: Cloth Star | Invalid name [Cloth Star]",
        "is: sum(metres)} | sum: metres} | [is] is missing: the formula",
        "star: cloth | [ | not be read",
      })
  void documentsThatAreWrongSayWhy(String part, String wrong, String expected) {
    StarModel.Parsed parsed =
        StarModel.parse(STAR.replaceFirst(java.util.regex.Pattern.quote(part), wrong));

    assertTrue(parsed.model().isEmpty());
    assertTrue(
        expected.equals("not be read") || parsed.problems().toString().contains(expected),
        parsed.problems().toString());
  }

  @Test
  void queriesNameMeasuresAndGetWhatTheFormulasGive() {
    assertEquals(
        tables.query(
            "select hall, sum(metres), 1.0 * sum(metres) / count(*) from f.rolls f join d.loom d on f.loom_key = d.loom_key group by hall order by hall"),
        query(
            "select loom_hall, woven, per_roll from cloth.rolls group by loom_hall order by loom_hall"));
    assertEquals(
        "[[4, 20], [3, 80]]",
        query(
                "select r.day_month_number, r.woven as m from cloth.rolls r group by r.day_month_number having woven > 5 order by m")
            .toString());
    assertEquals(
        "[[100]]", query("select t from (select woven as t from cloth.rolls) as x").toString());
    assertEquals("[[4]]", query("select count(*) from f.rolls").toString());
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "group by loom_hall",
        "where day_day > date '2026-03-01' group by loom_hall",
        "where day_month_number = 3 group by loom_hall",
        "where day_day = date '2026-03-05' or loom_hall = 'North' group by loom_hall",
        "group by loom_hall, day_month_number",
      })
  void aStockIsNotAddedUpOverDays(String rest) {
    SqlProblemException e =
        assertThrows(
            SqlProblemException.class,
            () -> query("select loom_hall, stock from cloth.rolls " + rest));

    assertTrue(
        e.getMessage()
            .contains(
                "[stock] does not add up over time, and this would add up several days. Group by day_day, or ask for one day, as in WHERE day_day = (SELECT max(l.day_day) FROM cloth.rolls AS l)"),
        e.getMessage());
  }

  @Test
  void aStockIsThatOfADay() {
    assertEquals(
        "[[North, 9], [South, 27], [?, 36]]",
        query(
                "select loom_hall, stock from cloth.rolls where day_day = date '2026-03-05' group by loom_hall order by stock")
            .toString());
    // The last day of each month.
    assertEquals(
        "[[3, 72], [4, 18]]",
        query(
                "select day_month_number, stock from cloth.rolls where day_day = (select max(l.day_day) from cloth.rolls as l where l.day_month_number = rolls.day_month_number) group by day_month_number order by 1")
            .toString());
    assertEquals(
        "[[5, 72], [6, 18]]",
        query("select day_key, stock from cloth.rolls group by day_key order by 1").toString());
  }

  /** The rows that a pipeline reads of a star are those that a query over it has. */
  @Test
  void stepsGiveTheRowsOfAFactWithItsDimensions() {
    StarModel star = StarModel.parse(STAR).model().orElseThrow();
    String steps = StarSteps.of(star, star.facts().get("rolls"), tables);
    tables
        .lake()
        .run(
            "pipeline: wide\nsteps:\n%s  out: {from: cloth_rolls, write: {table: mart.wide, mode: replace}}\n"
                .formatted(steps.indent(2)));
    assertEquals(
        query("select * from cloth.rolls order by roll").toString(),
        tables.query("select * from mart.wide order by roll").toString());
  }
}

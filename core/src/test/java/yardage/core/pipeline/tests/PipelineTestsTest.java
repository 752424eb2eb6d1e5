package yardage.core.pipeline.tests;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.document.Problem;
import yardage.core.pipeline.preview.Preview;
import yardage.core.pipeline.preview.Samples;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.testing.Mills;
import yardage.core.testing.TestLake;
import yardage.demo.WeavingMills;

/** Tests of pipelines: what passes, what does not and why, and tests that are made of rows. */
class PipelineTestsTest {
  private static final String PIPELINE =
      """
      pipeline: marks
      parameters: {least: {type: int, default: 5}}
      steps:
        marks: {read: {feed: marks}}
        kinds: {read: {feed: kinds}}
        heavy: {from: marks, keep: grams >= :least}
        named: {from: heavy, join: {with: kinds, on: [mark], kind: left}}
        out: {from: named, write: {table: mart.marks, mode: replace}}
      """;

  private static final String GIVEN =
      """
      test: heavy-marks
      of: marks
      given:
        marks:
          - {id: 1, mark: warp, grams: 5.50}
          - {id: 2, mark: "weft ", grams: 6}
          - {id: 3, mark: hem, grams: 1}
          - {id: 4, spots: [{at: 1, kind: hole}, {at: 2}], tags: {a: 1, b: 2}, grams: 9}
        kinds: [{mark: warp, kind: long}]
      """;

  @TempDir static Path folder;
  private static TestLake lake;

  @BeforeAll
  static void declare() throws IOException {
    lake = new TestLake(folder);
    lake.declare(
        "feed: marks\nfiles: marks.json\njson: {}\ncolumns: {id: int, mark: varchar, grams: \"decimal(9, 2)\", spots: \"list(struct(at int, kind varchar))\", tags: \"map(varchar, int)\"}\n");
    lake.declare(
        "feed: kinds\nfiles: kinds.csv\ntext: {}\ncolumns: {mark: varchar, kind: varchar}\n");
    WeavingMills.write(lake.inbox(), 500, 7);
    for (String feed : Mills.FEEDS) {
      lake.declare(Mills.document("feeds/" + feed + ".yaml"));
    }
    lake.declarePart(Mills.document("parts/tidy-rolls.yaml"));
    lake.run(Mills.document("pipelines/land-reference.yaml"));
    lake.run(Mills.document("pipelines/land-ledger.yaml"));
  }

  private static TestResult run(String test, String pipeline) {
    TestDocument.Parsed parsed = TestDocument.parse(test);
    PipelineRun.Setting setting = lake.toLook();
    TestResult out =
        TestRun.of(
            parsed.test().orElseThrow(() -> new AssertionError(parsed.problems().toString())),
            pipeline,
            lake,
            lake.lake(),
            setting.execution(),
            TestLake.STARTED_AT);
    assertEquals(0, setting.execution().memory().usedBytes());
    return out;
  }

  private static TestResult expect(String expected) {
    return run(GIVEN + "expect:\n" + expected.indent(2), PIPELINE);
  }

  @Test
  void rowsAreExpectedInAnyOrderAndOnlyByTheColumnsThatAreNamed() {
    TestResult all =
        expect(
            """
            heavy: {rows: 3}
            named:
              - {id: 4, kind: null, spots: [{at: 1, kind: hole}, {at: 2, kind: null}], tags: {a: 1, b: 2}}
              - {id: 2, kind: null}
              - {id: 1, kind: long}
            """);

    assertTrue(all.passed(), "what a row does not name of what others name is null");
    assertTrue(expect("heavy: {rows: 3}\nnamed: [{id: 2}, {id: 1}, {id: 4}]").passed());
    assertTrue(expect("heavy: [{mark: \"weft \"}, {mark: warp}, {mark: null}]").passed());
    assertTrue(
        expect("named: [{kind: null, grams: 6.00}, {kind: long, grams: 5.5}, {grams: 9}]")
            .passed());
    assertTrue(
        run(
                GIVEN.replace("of: marks", "of: marks\nparameters: {least: 9}")
                    + "expect: {heavy: [{id: 4, spots: [{at: 1, kind: hole}, {at: 2}], tags: {a: 1, b: 2}}]}\n",
                PIPELINE)
            .passed());
  }

  @Test
  void whatIsNotAsExpectedIsShown() {
    TestResult.Outcome named =
        expect("named: [{id: 1, kind: long}, {id: 2, kind: short}, {id: 4}]").outcomes().get(0);
    TestResult.Outcome heavy = expect("heavy: {rows: 1}").outcomes().get(0);

    assertEquals(
        "3 rows: 1 of 3 expected did not come, and 1 came that were not expected", named.words());
    assertEquals("[[Optional[2], Optional[short]]]", named.missing().toString());
    assertEquals("[[Optional[2], Optional.empty]]", named.surplus().toString());
    assertEquals(List.of("id", "kind"), named.columns());
    assertEquals("3 rows where 1 was expected", heavy.words());
    assertFalse(expect("named: []").passed());
  }

  @Test
  void mistakesAreToldAtTheirPlaces() {
    Map<String, String> wrong =
        Map.of(
            GIVEN + "expect: {nosuch: {rows: 1}}",
            "10: Pipeline [marks] has no step [nosuch]; there are",
            GIVEN.replace("grams: 6", "grams: six") + "expect: {heavy: {rows: 1}}",
            "6: Cannot cast [six]",
            GIVEN.replace("grams: 6", "gram: 6") + "expect: {heavy: {rows: 1}}",
            "6: Step [marks] has no column [gram]; did you mean [grams]?",
            GIVEN.replace("  kinds:", "  kind:") + "expect: {heavy: {rows: 1}}",
            "9: Pipeline [marks] has no step that reads [kind]; did you mean [kinds]?",
            GIVEN.replace("tags: {a: 1, b: 2}", "tags: 5") + "expect: {heavy: {rows: 1}}",
            "8: [tags] is map(varchar, int), written {name: value}");
    wrong.forEach(
        (text, said) -> {
          TestResult result = run(text, PIPELINE);
          assertFalse(result.passed());
          Problem p = result.problems().get(0);
          String told = p.place().line() + ": " + p.message();
          assertTrue(told.startsWith(said), told);
        });
    for (Map.Entry<String, String> text :
        Map.of(
                "test: t\nof: marks\n", "[expect] is missing",
                "test: t\nexpect: {a: {rows: 1}}\n", "[of] is missing",
                "test: t\nof: m\nexpect: {a: {row: 1}}\n", "Say how many rows",
                "test: t\nof: m\nexpect: {a: 5}\n", "must be a list of rows",
                "test: T T\nof: m\nexpect: {a: []}\n", "Invalid name [T T]")
            .entrySet()) {
      String told = TestDocument.parse(text.getKey()).problems().toString();
      assertTrue(told.contains(text.getValue()), told);
    }
    TestResult stopped =
        run(
            GIVEN + "expect: {heavy: {rows: 1}}",
            PIPELINE.replace("keep: grams >= :least", "keep: 1 / (id - 1) > 0"));
    assertTrue(stopped.failure().orElseThrow().contains("[heavy]"), stopped.toString());
  }

  @Test
  void testsAreMadeOfRowsAndOfThoseThatMatter() throws IOException {
    for (Map.Entry<String, String> of :
        Map.of("roll-inspection", "by_day", "cloth-star", "fact_roll").entrySet()) {
      String pipeline = Mills.document("pipelines/" + of.getKey() + ".yaml");
      String text =
          TestMaker.text(
              "made",
              lake.check(pipeline),
              lake.toLook(),
              Samples.NONE,
              Preview.Question.ofFew(of.getValue(), 4, Map.of()),
              Duration.ofMinutes(10));

      TestResult result = run(text, pipeline);
      assertTrue(result.passed(), () -> text + result);
      assertEquals(1, result.outcomes().size());
      assertTrue(text.lines().count() < 60, text);
      assertTrue(text.contains("roll_id: \"R0000000"), text);
      TestResult changed =
          run(
              text,
              pipeline
                  .replace("keep: last, order: [received_at]", "keep: first")
                  .replace("metres: metres", "metres: metres + 1")
                  .replace("metres: sum(metres)", "metres: sum(metres) + 1")
                  .replace("measures: [metres, defects]", "measures: [defects]"));
      assertFalse(changed.passed(), () -> "a changed step fails it: " + of.getKey());
    }
  }

  @Test
  void aTestNeedsNothingThatIsThere() throws IOException {
    String star = Mills.document("pipelines/cloth-star.yaml");
    String test =
        "test: t\nof: cloth-star\ngiven: {moves: [{loom_code: L-9, hall: East, since: 2026-01-01}]}\n"
            + "expect: {dim_loom: [{loom_code: L-9, loom_key: 1}, {loom_key: -1}, {loom_key: -2}]}\n";
    TestResult before = run(test, star);
    lake.run(star);
    TestResult after = run(test, star);

    assertTrue(before.passed(), before::toString);
    assertTrue(after.passed(), after::toString);
  }
}

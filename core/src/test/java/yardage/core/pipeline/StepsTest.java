package yardage.core.pipeline;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.document.Problem;
import yardage.core.exec.Tally;
import yardage.core.feed.SetAsideStore;
import yardage.core.pipeline.insight.DuplicateInsight;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.TestLake;

/**
 * Each step on a few rows, with its tally; the books of every run are checked by the run itself.
 */
class StepsTest {
  @TempDir Path folder;
  private TestLake lake;
  private Map<String, Tally> tallies;
  private int tables;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntake: all\ntext: {}\ncolumns: {roll: varchar, loom: varchar, woven: date, metres: \"decimal(9, 2)\", note: varchar}\n");
    lake.file(
        "rolls/1",
        """
        roll,loom,woven,metres,note
        R1,L1,2026-03-01,10.00,a  b
        R2,L1,2026-03-02,,7
        R3,L2,2026-03-01,30.00,
        R4,L1,2026-03-03,5.50,x
        R5,L2,2026-03-04,2.00,7
        """);
  }

  /** The rows that a step gives, in the order of their first column. */
  private List<List<Object>> rows(String step) {
    return rowsOf("  step:\n    from: rolls\n" + step.indent(4));
  }

  private List<List<Object>> rowsOf(String steps) {
    tables++;
    tallies = lake.run(pipeline(steps));
    return lake.query("select * from t.made%d order by 1".formatted(tables));
  }

  private String pipeline(String steps) {
    return "pipeline: p\nsteps:\n  rolls: {read: {feed: rolls}}\n"
        + steps
        + "  out: {from: step, write: {table: t.made%d, mode: replace}}\n".formatted(tables);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '`',
      value = {
        "shape: {collapse: {of: text}, lower: {at: '1'}, rename: {'*m*es': 'len_*m*s'}, set: {n: note}, drop: {like: [lo*, woven]}, order: [n, roll]} ` [[7, r2, null, 7], [7, r5, 2.00, 7], [a b, r1, 10.00, a b], [x, r4, 5.50, x], [null, r3, 30.00, null]]",
        "shape: {cast: {note: int}, if-wrong: null, drop: {except: [roll, note]}} ` [[R1, null], [R2, 7], [R3, null], [R4, null], [R5, 7]]",
        "shape: {drop: {at: [2..-2, 5]}} ` [[R1], [R2], [R3], [R4], [R5]]",
        "fill: {columns: {of: number}, with: 0} ` [[R1, L1, 2026-03-01, 10.00, a  b], [R2, L1, 2026-03-02, 0.00, 7], [R3, L2, 2026-03-01, 30.00, null], [R4, L1, 2026-03-03, 5.50, x], [R5, L2, 2026-03-04, 2.00, 7]]",
        "fill: {columns: [note], empty: [x], with: loom} ` [[R1, L1, 2026-03-01, 10.00, a  b], [R2, L1, 2026-03-02, null, 7], [R3, L2, 2026-03-01, 30.00, L2], [R4, L1, 2026-03-03, 5.50, L1], [R5, L2, 2026-03-04, 2.00, 7]]",
        "fill: {columns: [metres], from: before, by: [loom], order: [woven]} ` [[R1, L1, 2026-03-01, 10.00, a  b], [R2, L1, 2026-03-02, 10.00, 7], [R3, L2, 2026-03-01, 30.00, null], [R4, L1, 2026-03-03, 5.50, x], [R5, L2, 2026-03-04, 2.00, 7]]",
        "fill: {columns: [metres], from: average, by: [loom]} ` [[R1, L1, 2026-03-01, 10.00, a  b], [R2, L1, 2026-03-02, 7.75, 7], [R3, L2, 2026-03-01, 30.00, null], [R4, L1, 2026-03-03, 5.50, x], [R5, L2, 2026-03-04, 2.00, 7]]",
        "fill: {columns: [note], from: common} ` [[R1, L1, 2026-03-01, 10.00, a  b], [R2, L1, 2026-03-02, null, 7], [R3, L2, 2026-03-01, 30.00, 7], [R4, L1, 2026-03-03, 5.50, x], [R5, L2, 2026-03-04, 2.00, 7]]",
        "pivot: {by: [loom], names: woven, values: ['2026-03-01', '2026-03-04'], set: {m: sum(metres)}} ` [[L1, 10.00, null], [L2, 30.00, 2.00]]",
        "pivot: {names: loom, values: [L1, L 9], set: {n: count(*), m: max(metres)}} ` [[3, 0, 10.00, null]]",
        "unpivot: {columns: [loom, note], names: what, values: value} ` [[R1, 2026-03-01, 10.00, loom, L1], [R1, 2026-03-01, 10.00, note, a  b], [R2, 2026-03-02, null, loom, L1], [R2, 2026-03-02, null, note, 7], [R3, 2026-03-01, 30.00, loom, L2], [R4, 2026-03-03, 5.50, loom, L1], [R4, 2026-03-03, 5.50, note, x], [R5, 2026-03-04, 2.00, loom, L2], [R5, 2026-03-04, 2.00, note, 7]]",
        "across: {by: [loom], order: [woven], set: {nr: row_number(), running: sum(metres), before: lag(roll)}} ` [[R1, L1, 2026-03-01, 10.00, a  b, 1, 10.00, null], [R2, L1, 2026-03-02, null, 7, 2, 10.00, R1], [R3, L2, 2026-03-01, 30.00, null, 1, 30.00, null], [R4, L1, 2026-03-03, 5.50, x, 3, 15.50, R2], [R5, L2, 2026-03-04, 2.00, 7, 2, 32.00, R3]]",
        "across: {by: [loom], order: [woven desc], rows: last 2, set: {m: count(metres)}} ` [[R1, L1, 2026-03-01, 10.00, a  b, 1], [R2, L1, 2026-03-02, null, 7, 1], [R3, L2, 2026-03-01, 30.00, null, 2], [R4, L1, 2026-03-03, 5.50, x, 1], [R5, L2, 2026-03-04, 2.00, 7, 1]]",
        "aggregate: {by: [loom], set: {m: sum(metres), n: count(*)}, levels: [[loom], []]} ` [[L1, 15.50, 3], [L2, 32.00, 2], [null, 47.50, 5]]",
        "dedupe: {by: {names: [loom]}, order: [woven], keep: last} ` [[R4, L1, 2026-03-03, 5.50, x], [R5, L2, 2026-03-04, 2.00, 7]]",
        "dedupe: {by: [loom], order: [woven], keep: merged, merge: {roll: joined, woven: max, metres: sum, note: last}} ` [[R1, R2, R4, L1, 2026-03-03, 15.50, x], [R3, R5, L2, 2026-03-04, 32.00, 7]]",
        "dedupe: {by: [note], keep: merged, order: [woven]} ` [[R1, L1, 2026-03-01, 10.00, a  b], [R2, L1, 2026-03-02, 2.00, 7], [R3, L2, 2026-03-01, 30.00, null], [R4, L1, 2026-03-03, 5.50, x]]",
      })
  void givesTheRows(String step, String expected) {
    assertEquals(expected, rows(step).toString());
  }

  @Test
  void whatAStepChangesIsLogged() {
    rows("fill: {columns: [metres, note], empty: [x], from: before, order: [woven]}");
    rows("shape: {cast: {note: int}, if-wrong: \"null\"}");

    for (String expected :
        List.of(
            "step: 1 values of [metres] were filled",
            "step: 2 values of [note] were filled",
            "step: 2 values of [note] did not cast to int and became null")) {
      assertTrue(lake.log().contains(expected), expected + " in " + lake.log());
    }
  }

  @Test
  void whatDoesNotCastIsSetAsideOrStopsTheRun() {
    assertEquals(
        "[[R2, 7], [R3, null], [R5, 7]]",
        rows("shape: {cast: {note: int}, if-wrong: set-aside, drop: {except: [roll, note]}}")
            .toString());
    assertEquals(2, tallies.get("step").setAside());
    SetAsideStore.Row row =
        SetAsideStore.row(LocalStorage.place(folder.resolve("set-aside/1.jsonl")), 1).orElseThrow();
    assertEquals("step", row.step());
    assertTrue(
        row.original().startsWith("{\"roll\":\"R1\",\"loom\":\"L1\",\"woven\":\"2026-03-01\""),
        row.original());
    String stopped =
        assertThrows(RunFailedException.class, () -> rows("shape: {cast: {note: int}}"))
            .getMessage();
    assertTrue(stopped.contains("Column [note]: Cannot cast [a  b] to int; say if-wrong"), stopped);
  }

  @Test
  void samplesAreAlikeWhereverTheKeysAre() {
    StringBuilder more = new StringBuilder("roll,loom,woven,metres,note\n");
    for (int i = 0; i < 20_000; i++) {
      more.append("S%d,L%d,2026-03-01,1,\n".formatted(i, i % 7));
    }
    lake.file("rolls/2", more.toString());

    List<List<Object>> share = rows("sample: {share: 10%, by: [roll], seed: 7}");
    List<List<Object>> narrow =
        rowsOf(
            "  a: {from: rolls, shape: {drop: {except: [roll]}}}\n  step: {from: a, sample: {share: 0.1, by: [roll], seed: 7}}\n");
    List<List<Object>> other = rows("sample: {share: 10%, by: [roll], seed: 8}");
    List<List<Object>> count = rows("sample: {rows: 1500, by: [roll], seed: 7}");

    assertTrue(Math.abs(share.size() - 2000) < 150, "a tenth, about: " + share.size());
    assertEquals(keys(share), keys(narrow));
    assertTrue(!keys(share).equals(keys(other)));
    assertEquals(1500, count.size());
    assertTrue(keys(share).containsAll(keys(count)), "the smaller sample is part of the larger");
    assertEquals(20_005 - 1500, tallies.get("step").filtered());
  }

  private static List<Object> keys(List<List<Object>> rows) {
    return rows.stream().map(r -> r.get(0)).toList();
  }

  @Test
  void listsMapsAndStructsAreUnnested() {
    lake.declare(
        "feed: nested\nfiles: n/*\ntake: all\njson: {}\ncolumns: {roll: varchar, loom: 'struct(code varchar, nr int)', defects: 'list(struct(kind varchar, at_m int))', marks: 'map(varchar, int)', tags: list(varchar)}\n");
    lake.file(
        "n/1",
        """
        {"roll":"R1","loom":{"code":"L1","nr":7},"defects":[{"kind":"knot","at_m":3},{"kind":"slub"}],"marks":{"a":1},"tags":["x","y"]}
        {"roll":"R2","defects":[],"tags":null}
        """);
    String read = "  n: {read: {feed: nested}}\n  step: {from: n, unnest: %s}\n";

    assertEquals(
        "[[R1, {code=L1, nr=7}, {a=1}, [x, y], knot, 3, 1], [R1, {code=L1, nr=7}, {a=1}, [x, y], slub, null, 2], [R2, null, null, null, null, null, null]]",
        rowsOf(read.formatted("{column: defects, keep-empty: true, position: nr}")).toString());
    assertEquals(1, tallies.get("step").multiplied());
    assertEquals(
        "[[R1, x], [R1, y]]",
        rowsOf(read.formatted("{column: tags}")).stream()
            .map(r -> List.of(r.get(0), r.get(4)))
            .toList()
            .toString());
    assertEquals(1, tallies.get("step").filtered());
    assertEquals(
        "[[R1, a, 1]]",
        rowsOf(read.formatted("{column: marks}")).stream()
            .map(r -> List.of(r.get(0), r.get(4), r.get(5)))
            .toList()
            .toString());
    assertEquals(
        "[roll, defects, marks, tags, loom_code, loom_nr]",
        lake.check(pipeline(read.formatted("{column: loom, prefix: loom_}")))
            .steps()
            .get(2)
            .schema()
            .orElseThrow()
            .names()
            .toString());
  }

  @Test
  void rulesSetAsideWarnAndStop() {
    String rules =
        """
        check:
          whole: {not-null: [metres]}
          ids: {unique: loom, else: warn}
          known: {in: [L1], column: loom, share: 50%%}
          enough: {rows: {at-least: %d}}
          total: {all: "sum(metres) between 40 and 50", else: warn}
        """;

    assertEquals("[R1, R3, R4, R5]", keys(rows(rules.formatted(5))).toString());
    List<String> found =
        lake.lastRun().checkResults().stream()
            .map(r -> r.rule() + " " + r.outcome() + " " + r.failed())
            .toList();
    assertEquals(
        "[whole set-aside 1, ids warned 5, known met 2, enough met 0, total met 0]",
        found.toString());
    RunFailedException stopped =
        assertThrows(RunFailedException.class, () -> rows(rules.formatted(6)));
    assertEquals("check-failed", stopped.code());
    assertTrue(
        stopped.getMessage().contains("there must be at least 6 rows; there are 5"),
        stopped.getMessage());
  }

  /** What came of each rule of the last run: its name, its outcome, and what was found. */
  private String outcomes() {
    return lake.lastRun().checkResults().stream()
        .map(r -> r.rule() + " " + r.outcome() + " " + r.failed() + ": " + r.words())
        .collect(java.util.stream.Collectors.joining("\n"));
  }

  @Test
  void rulesLookAtOtherSteps() {
    lake.declare(
        "feed: looms\nfiles: looms/*\ntake: all\ntext: {}\ncolumns: {loom_code: varchar, number: bigint, most: \"decimal(9, 2)\"}\n");
    lake.file("looms/1", "loom_code,number,most\nL1,1,40.00\nL1,2,\n,3,7.50\nL9,4,\n");
    String steps =
        """
          looms: {read: {feed: looms}}
          step:
            from: rolls
            check:
              known: {found-in: looms, on: {loom: loom_code}}
              few: {found-in: looms, on: {loom: loom_code, metres: most}, else: warn}
              same: {total: sum(metres), against: looms, there: sum(most)}
              near: {total: count(*), against: looms, within: 20%, else: warn}
              far: {total: count(*), against: looms, within: 0.5, else: warn}
              recent: {fresh: woven, within: 1 h, else: warn}
              lasting: {fresh: woven, within: 40000 d}
        """;

    assertEquals("[R1, R2, R4]", rowsOf(steps).stream().map(r -> r.get(0)).toList().toString());
    assertEquals(
        """
        known set-aside 2: no row of [looms] has this loom; 2 of 5 rows, such as {"roll":"R3","loom":"L2","woven":"2026-03-01","metres":30.00,"note":null}
        few warned 4: no row of [looms] has this loom, metres; 4 of 5 rows, such as {"roll":"R1","loom":"L1","woven":"2026-03-01","metres":10.00,"note":"a  b"}
        same met 0: there is 47.50 here and 47.50 in [looms]
        near warned 5: count(*) must be as it is in [looms], give or take 20%; there is 5 here and 4 in [looms]
        far warned 5: count(*) must be as it is in [looms], give or take 0.5; there is 5 here and 4 in [looms]
        recent warned 5: the newest woven must be within 1 h of the run; it is 2026-03-04
        lasting met 0: it is 2026-03-04""",
        outcomes());
    assertEquals(5 * 4, tallies.get("step").rightIn(), "each of five rules reads the looms");
  }

  @Test
  void rulesOverNoRowsAreHeldToo() {
    lake.file("rolls/1", "roll,loom,woven,metres,note\n");
    String rules =
        """
        check:
          some: {all: count(*) > 0, else: warn}
          none: {all: count(*) = 0 and sum(metres) is null}
          big: {all: sum(metres) > 0, else: warn}
          each: {is: metres > 0}
          same: {total: sum(metres), against: rolls}
          recent: {fresh: woven, within: 1 d, else: warn}
        """;

    assertEquals("[]", rows(rules).toString());
    assertEquals(
        "[some warned, none met, big warned, each met, same met, recent warned]",
        lake.lastRun().checkResults().stream()
            .map(r -> r.rule() + " " + r.outcome())
            .toList()
            .toString());
  }

  /** A group as text: what stays has a star, what was made of several is behind an arrow. */
  private static String told(DuplicateInsight.DuplicateGroup group) {
    return group.differing()
        + group.rows().stream()
            .map(
                r ->
                    (r.stays() ? " *" : " ")
                        + r.values().get(0)
                        + r.likeness().map(x -> "~").orElse(""))
            .collect(java.util.stream.Collectors.joining())
        + group.made().map(m -> " -> " + m).orElse("");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '`',
      value = {
        "{by: [loom], keep: last, order: [woven]} ` 3 ` [roll, woven, metres, note] R1 R2 *R4; [roll, woven, metres, note] R3 *R5",
        "{by: [woven], order: [metres desc]} ` 1 ` [roll, loom, metres, note] R1 *R3",
        "{by: {except: [roll, loom, woven, metres]}} ` 1 ` [roll, loom, woven, metres] *R2 R5",
        "{by: [note], keep: merged, order: [roll], merge: {metres: sum}} ` 1 ` [roll, loom, woven, metres] R2 R5 -> [R2, L1, 2026-03-02, 2.00, 7]",
        "{by: [loom], alike: {on: roll, least: 50%, measure: edits}, order: [roll desc]} ` 3 ` [roll, woven, metres, note] R1~ R2~ *R4~; [roll, woven, metres, note] R3~ *R5~",
        "{} ` 0 ` ''",
      })
  void removedRowsAreSeenBesideWhatStayed(String dedupe, long removed, String expected) {
    String pipeline = pipeline("  step: {from: rolls, dedupe: %s}\n".formatted(dedupe));

    DuplicateInsight seen = lake.duplicates(pipeline, "step", "");

    assertEquals(removed, seen.removed());
    assertEquals(
        expected,
        seen.groups().stream()
            .map(StepsTest::told)
            .collect(java.util.stream.Collectors.joining("; ")));
    assertEquals(removed, lake.run(pipeline).get("step").merged(), "as a run counts");
    assertEquals(
        seen.groups().stream()
            .filter(g -> g.rows().stream().anyMatch(r -> r.values().contains("R4")))
            .count(),
        lake.duplicates(pipeline, "step", "r4").found());
  }

  @Test
  void joinsByRangesAndLooksUpAtMostOne() {
    lake.declare(
        "feed: hands\nfiles: hands/*\ntake: all\ntext: {}\ncolumns: {loom: varchar, since: date, until: date, hand: varchar}\n");
    lake.file(
        "hands/1",
        "loom,since,until,hand\nL1,2026-01-01,2026-03-02,Ana\nL1,2026-03-02,2026-12-31,Eva\nL2,2026-03-02,2026-12-31,Rui\n");
    String steps =
        "  hands: {read: {feed: hands}}\n  step:\n    from: rolls\n    join: {with: hands, on: [loom], kind: %s, take: [hand]%s}\n";

    assertEquals(
        "[[R1, Ana], [R2, Eva], [R3, null], [R4, Eva], [R5, Rui]]",
        rowsOf(steps.formatted("lookup", ", where: woven >= since and rolls.woven < hands.until"))
            .stream()
            .map(r -> java.util.Arrays.asList(r.get(0), r.get(5)))
            .toList()
            .toString());
    RunFailedException twice =
        assertThrows(RunFailedException.class, () -> rowsOf(steps.formatted("lookup", "")));
    assertEquals("lookup-not-unique", twice.code());
    assertTrue(twice.getMessage().contains("[L1] (3 rows more)"), twice.getMessage());
  }

  @Test
  void writesByKeyReplaceAndTakeAwayRows() {
    String write =
        "pipeline: %s\nsteps:\n  rolls: {read: {feed: rolls}}\n  out: {from: rolls, write: {table: t.keyed, mode: %s, key: [roll], partition: [loom]}}\n";
    lake.run(write.formatted("u", "upsert"));
    String header = "roll,loom,woven,metres,note\n";
    lake.file("rolls/1", header + "R2,L2,2026-05-01,22.00,moved\nR9,L9,2026-05-01,9.00,new\n");
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntake: all\ntext: {}\ncolumns: {roll: varchar, loom: varchar, woven: date, metres: \"decimal(9, 2)\", note: varchar}\n");
    Tally upserted = lake.run(write.formatted("u", "upsert")).get("out");
    String keyed = "select roll, loom, metres from t.keyed order by 1";

    assertEquals(2, upserted.rowsOut());
    assertEquals(
        "[[R1, L1, 10.00], [R2, L2, 22.00], [R3, L2, 30.00], [R4, L1, 5.50], [R5, L2, 2.00], [R9, L9, 9.00]]",
        lake.query(keyed).toString());
    assertTrue(
        lake.log()
            .contains(
                "out: 2 rows that were in t.keyed were written again, because their files had rows that were replaced"),
        lake.log().toString());

    lake.file(
        "rolls/1", header + "R2,L2,2026-05-01,0,\nR9,L9,2026-05-01,0,\nR77,L1,2026-05-01,0,\n");
    lake.run(write.formatted("d", "delete"));

    assertEquals(
        "[[R1, L1, 10.00], [R3, L2, 30.00], [R4, L1, 5.50], [R5, L2, 2.00]]",
        lake.query(keyed).toString());
    lake.file("rolls/1", header + "R1,L1,2026-05-01,0,\nR1,L2,2026-05-01,0,\n");
    assertTrue(
        assertThrows(RunFailedException.class, () -> lake.run(write.formatted("u", "upsert")))
            .getMessage()
            .contains("several rows have the key [R1]"));
    lake.file("rolls/1", header + ",L1,2026-05-01,0,\n");
    assertTrue(
        assertThrows(RunFailedException.class, () -> lake.run(write.formatted("u", "upsert")))
            .getMessage()
            .contains("a row has no value in its key"));
  }

  @Test
  void stacksByPositionWithTheSource() {
    assertEquals(
        "[[R1, 10.00, a], [R3, 30.00, a], [R4, null, b]]",
        rowsOf(
                """
                  a: {from: rolls, sql: "select roll, metres from rolls where metres >= 10"}
                  b: {from: rolls, sql: "select roll as name, cast(null as int) from rolls where roll = 'R4'"}
                  step: {from: [a, b], stack: {match: position, source: part}}
                """
                    .replace("cast(null as int)", "cast(null as int) as x"))
            .toString());
  }

  @Test
  void splitsAndCombinesTexts() {
    lake.file(
        "rolls/1",
        "roll,loom,woven,metres,note\nR1,a--b--c--d,2026-03-01,1,x\nR2,--,2026-03-01,,é--\nR3,,2026-03-01,2,--é--ü\nR4,one,,,\n");

    assertEquals(
        "[[R1, a, b--c--d, x, null, null, a--b--c--d/2026-03-01/1.00], [R2, , , é, , null, --/2026-03-01], [R3, null, null, , é, ü, 2026-03-01/2.00], [R4, one, null, null, null, null, one]]",
        rows("""
                shape:
                  split: {loom: {by: "--", into: [first, rest]}, note: {by: "--", into: [x, y, z]}}
                  combine: {all_of_it: {columns: [loom, woven, metres], with: /}}
                  drop: [loom, woven, metres, note]
                """)
            .toString());
    assertEquals(
        "[[R1, 4, c, a-b-c-d], [R2, 2, null, -], [R3, null, null, null], [R4, 1, null, one]]",
        rows("sql: select roll, cardinality(split_text(loom, '--')) as n, split_text(loom, '--')[3] as third, join_text('-', split_text(loom, '--')) as again from rolls")
            .toString());
    assertEquals("[R1, R2]", keys(rows("keep: regexp_like(loom, '^(a|-).*(d|-)$')")).toString());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '`',
      value = {
        "shape: {split: {metres: {by: '-', into: [a]}}} ` only varchar can be split",
        "shape: {split: {loom: {by: '-', into: [a, roll]}}} ` There is a column [roll] already",
        "shape: {split: {loom: {by: '', into: [a]}}} ` [by] must have at least one character",
        "shape: {split: {loom: '-'}} ` [split] is written split: {roll_id:",
        "shape: {combine: {roll: {columns: [loom]}}} ` There is a column [roll] already",
        "keep: regexp_like(loom, '(a') ` [(a] is not a valid pattern: missing closing )",
        "keep: regexp_like(loom, note) ` wants its pattern as a constant",
        "fill: {columns: [woven], with: loom} ` [woven] is date and cannot be filled with varchar",
        "fill: {columns: [metres], from: before} ` [order] is missing",
        "sample: {share: 200%} ` Invalid share [200%]",
        "sample: {} ` either a share",
        "unnest: {column: loom} ` [loom] is varchar; only lists, maps and structs",
        "pivot: {names: loom, set: {m: sum(metres)}} ` [values] is missing",
        "pivot: {names: loom, values: [L1], set: {m: metres}} ` ",
        "unpivot: {columns: [loom, metres], names: a, values: b} ` [loom] is varchar and [metres] is decimal(9, 2)",
        "unpivot: {columns: [loom], names: woven, values: b} ` There is a column [woven] already",
        "across: {set: {n: row_number()}} ` needs an order",
        "across: {set: {loom: count(*)}} ` There is a column [loom] already",
        "check: {a: {is: metres + 1}} ` [metres + 1] is decimal",
        "check: {a: {is: metres > 1, unique: loom}} ` this has is and unique",
        "check: {a: {all: sum(metres)}} ` a rule is a condition",
        "check: {a: {found-in: rolls}} ` needs the columns to look up",
        "check: {a: {found-in: rols, column: loom}} ` There is no step [rols]; did you mean [rolls]?",
        "check: {a: {found-in: rolls, on: {loom: woven}}} ` [loom] is varchar here, and [woven] of [rolls] is date",
        "check: {a: {total: max(loom), against: rolls}} ` [max(loom)] is varchar; a total is a number",
        "check: {a: {total: sum(metres), against: rolls, there: sum(metre)}} ` [metre]",
        "check: {a: {total: sum(metres), against: rolls, within: a bit}} ` Invalid distance [a bit]",
        "check: {a: {fresh: loom, within: 1 d}} ` only a date or a timestamp can be fresh",
        "check: {a: {fresh: woven}} ` [within] is missing",
        "dedupe: {by: [loom], keep: merged, merge: {metres: mean}} ` [mean] is not one of first, last",
        "dedupe: {alike: {on: metres}} ` only varchar can be alike",
        "dedupe: {alike: {on: loom, least: 5%}} ` below 20%",
        "aggregate: {by: [loom], set: {n: count(*)}, levels: [[woven]]} ` none of them",
        "shape: {rename: {'x*': 'y*'}} ` No column has a name like [x*]",
        "shape: {drop: {at: 0}} ` Invalid place [0]",
        "shape: {cast: {woven: 'list(int)'}} ` cannot be cast",
      })
  void saysWhatIsWrong(String step, String expected) {
    List<String> problems =
        lake.check(pipeline("  step:\n    from: rolls\n    " + step + "\n")).problems().stream()
            .filter(p -> p.severity() == Problem.Severity.ERROR)
            .map(Problem::message)
            .toList();

    assertTrue(
        !problems.isEmpty() && problems.get(0).contains(expected == null ? "" : expected),
        problems.toString());
  }
}

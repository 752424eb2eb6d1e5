package yardage.core.pipeline.insight;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.document.Problem;
import yardage.core.exec.Tally;
import yardage.core.testing.TestLake;

/** A join that is told which input to hold gives the same rows, and the same account of them. */
class JoinHintTest {
  private static final long SEED = Long.getLong("yardage.seed", 3);

  @TempDir Path folder;
  private TestLake lake;
  private int tables;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntake: all\ntext: {}\ncolumns: {loom: varchar, nr: int, roll: varchar}\n");
    lake.declare(
        "feed: looms\nfiles: looms/*\ntake: all\ntext: {}\ncolumns: {loom: varchar, nr: %s, hall: varchar}\n"
            .formatted("bigint"));
  }

  private void files(int rolls, int looms, int keys) {
    SplittableRandom random = new SplittableRandom(SEED);
    for (String name : List.of("rolls", "looms")) {
      StringBuilder out =
          new StringBuilder(name.equals("rolls") ? "loom,nr,roll\n" : "loom,nr,hall\n");
      for (int i = 0; i < (name.equals("rolls") ? rolls : looms); i++) {
        int key = random.nextInt(keys);
        out.append(random.nextInt(12) == 0 ? "" : "L" + key)
            .append(',')
            .append(random.nextInt(12) == 0 ? "" : "" + key % 7)
            .append(',')
            .append(name.charAt(0))
            .append(i)
            .append('\n');
      }
      lake.file(name + "/1", out.toString());
    }
  }

  private Map<String, Tally> run(String join) {
    tables++;
    return lake.run(document(join));
  }

  private String document(String join) {
    return "pipeline: p\nsteps:\n  rolls: {read: {feed: rolls}}\n  looms: {read: {feed: looms}}\n  placed: {from: rolls, join: {with: looms, %s}}\n  out: {from: placed, write: {table: t.made%d, mode: replace}}\n"
        .formatted(join, tables);
  }

  private List<String> rows() {
    return lake.query("select * from t.made" + tables).stream()
        .map(Object::toString)
        .sorted()
        .toList();
  }

  private static String account(Tally t) {
    return "in %d, other in %d, matched %d, unmatched %d, multiplied %d, looked up %d, added %d, out %d"
        .formatted(
            t.rowsIn(),
            t.rightIn(),
            t.matched(),
            t.unmatched(),
            t.multiplied(),
            t.absorbed(),
            t.added(),
            t.rowsOut());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "on: [loom], prefix: o_, kind: inner | 3000 | 400 | 300",
        "on: [loom], prefix: o_, kind: left | 3000 | 400 | 300",
        "on: [loom], prefix: o_, kind: inner | 40 | 5000 | 30",
        "on: [loom], prefix: o_, kind: left | 40 | 5000 | 30",
        // Keys of unlike types, which are cast for the join.
        "on: [loom, nr], kind: inner | 2000 | 2000 | 90",
        "on: [loom, nr], kind: left | 2000 | 2000 | 90",
        "on: [loom], prefix: o_, kind: left | 0 | 50 | 5",
        "on: [loom], prefix: o_, kind: left | 50 | 0 | 5",
        "on: [loom], prefix: o_, kind: inner | 50 | 0 | 5",
        // One key for all: every row meets every other.
        "on: [loom], prefix: o_, kind: inner | 700 | 900 | 1",
      })
  void givesTheSameRowsAndTheSameAccount(String join, int rolls, int looms, int keys) {
    files(rolls, looms, keys);

    Tally without = run(join).get("placed");
    List<String> expected = rows();
    Tally held = run(join + ", hold: main").get("placed");

    assertEquals(expected, rows());
    assertEquals(account(without), account(held));
    assertEquals(0, held.imbalance());
  }

  @Test
  void theSmallInputIsTheOneThatIsHeld() {
    files(50, 60_000, 60_000);

    long other = run("on: [loom], prefix: o_, kind: inner").get("placed").peakBytes();
    long main = run("on: [loom], prefix: o_, kind: inner, hold: main").get("placed").peakBytes();

    assertTrue(main * 10 < other, main + " bytes instead of " + other);
    // What does not fit as it is goes into parts.
    lake.run(document("on: [loom], prefix: o_, kind: inner"), 2_700_000);
    lake.run(document("on: [loom], prefix: o_, kind: inner, hold: main"), 2_700_000);
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "on: [loom], prefix: o_, kind: right, hold: main",
        "on: [loom], prefix: o_, kind: lookup, hold: main",
        "on: [loom], kind: anti, hold: main",
        "on: [loom], prefix: o_, where: rolls.nr < looms.nr, hold: main",
      })
  void otherJoinsSayThatTheyCannot(String join) {
    List<Problem> problems = lake.check(document(join)).problems();

    assertTrue(
        problems.stream()
            .anyMatch(
                p ->
                    p.field().endsWith("hold")
                        && p.message().contains("Only an inner or a left join on keys alone")
                        && p.place().line() == 5),
        problems.toString());
  }
}

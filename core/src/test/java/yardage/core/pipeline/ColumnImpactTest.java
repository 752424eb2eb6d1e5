package yardage.core.pipeline;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.nio.file.Path;
import java.util.List;
import java.util.TreeMap;
import java.util.TreeSet;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.ColumnImpact;
import yardage.core.testing.TestLake;

/** What pipelines would do without a column, from table to table. */
class ColumnImpactTest {
  private static final String LAND =
      """
      pipeline: land
      steps:
        rows: {read: {feed: rolls}}
        out: {from: rows, write: {table: raw.rolls, mode: replace}}
      """;
  private static final String COPY =
      """
      pipeline: copy
      steps:
        rows: {read: {table: raw.rolls}}
        kept: {from: rows, keep: len > 0}
        out: {from: kept, write: {table: mart.rolls, mode: replace}}
      """;
  private static final String SUMS =
      """
      pipeline: sums
      steps:
        rows: {read: {table: mart.rolls}}
        by: {from: rows, aggregate: {by: [hall], set: {metres: sum(len)}}}
        out: {from: by, write: {table: mart.sums, mode: replace}}
      """;
  private static final String BOTH =
      """
      pipeline: both
      steps:
        rows: {read: {table: mart.sums}}
        halls: {read: {table: raw.rolls}}
        named: {from: rows, join: {with: halls, on: [hall], take: [roll]}}
        out: {from: named, write: {table: mart.both, mode: replace}}
      """;
  private static final List<String> ALL = List.of(LAND, COPY, SUMS, BOTH);

  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void tables() {
    lake = new TestLake(folder);
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntake: all\ntext: {header: false}\ncolumns: {roll: varchar, hall: varchar, len: int, note: varchar}\n");
    lake.file("rolls/1", "R1,North,5,x\nR2,South,6,y\n");
    ALL.forEach(lake::run);
  }

  /** As in {@code raw.rolls: note} and {@code sums: step}. */
  private String without(String table, String column) {
    ColumnImpact.Report report = ColumnImpact.of(lake, ALL, TableName.parse(table), column);
    TreeMap<String, Object> gone = new TreeMap<>();
    report.gone().forEach((t, c) -> gone.put(t.toString(), new TreeSet<>(c)));
    List<String> broken =
        report.broken().stream()
            .map(b -> b.pipeline() + " at " + b.problems().get(0).step())
            .toList();
    return gone + " " + broken;
  }

  @Test
  void aColumnThatNobodyNamesIsLostFromTableToTable() {
    assertEquals("{mart.rolls=[note], raw.rolls=[note]} []", without("raw.rolls", "note"));
    assertEquals("{mart.both=[metres], mart.sums=[metres]} []", without("mart.sums", "METRES"));
  }

  @Test
  void aStepThatNamesItBreaksAndWhatIsBehindStaysAsItIs() {
    assertEquals("{raw.rolls=[len]} [copy at kept]", without("raw.rolls", "len"));
    assertEquals("{mart.rolls=[len]} [sums at by]", without("mart.rolls", "len"));
    assertEquals(
        "{mart.rolls=[hall], raw.rolls=[hall]} [both at named, sums at by]",
        without("raw.rolls", "hall"));
    assertEquals(
        "{mart.rolls=[roll], raw.rolls=[roll]} [both at named]", without("raw.rolls", "roll"));
  }

  @Test
  void whatIsWrongAlreadyIsNotBlamedOnIt() {
    String wrong = COPY.replace("len > 0", "lenn > 0");
    ColumnImpact.Report report =
        ColumnImpact.of(lake, List.of(LAND, wrong), TableName.parse("raw.rolls"), "note");
    assertEquals(List.of(), report.broken());
  }
}

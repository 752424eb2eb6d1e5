package yardage.core.pipeline;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.exec.ExecutionContext;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.ColumnLineage;
import yardage.core.pipeline.compile.ColumnLineage.At;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.insight.RowStory;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.testing.TestLake;

/** The story of rows, and where columns come from. */
class FollowTest {
  private static final String PIPELINE =
      """
      pipeline: p
      steps:
        rolls: {read: {feed: rolls}}
        tidy:
          from: rolls
          shape: {trim: {of: text}, rename: {len: metres}, set: {day: cast(woven as date), twice: metres + metres}}
        usable: {from: tidy, keep: metres > 0}
        once: {from: usable, dedupe: {by: [roll], keep: last, order: [woven]}}
        looms: {read: {feed: looms}}
        placed: {from: once, join: {with: looms, on: [loom], kind: left}}
        sound: {from: placed, check: {halls: {is: hall is not null}}}
        by_hall: {from: sound, aggregate: {by: [hall], set: {metres: sum(metres), n: count(*)}}}
        publish: {from: sound, write: {table: t.rolls, mode: replace}}
        publish_halls: {from: by_hall, write: {table: t.halls, mode: replace}}
      """;

  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntext: {}\ncolumns: {roll: varchar, loom: varchar, woven: timestamp, len: \"decimal(9, 2)\"}\n");
    lake.declare(
        "feed: looms\nfiles: looms/*\ntext: {}\ncolumns: {loom: varchar, hall: varchar}\n");
    lake.file(
        "rolls/1",
        """
        roll,loom,woven,len
        "R1 ",L1,2026-03-01 05:00:00,10.00
        R1,L1,2026-03-01 06:00:00,11.00
        R2,L2,2026-03-01 07:00:00,0
        R3,L9,2026-03-02 07:00:00,30
        R4,L2,2026-03-02 08:00:00,40
        """);
    lake.file("looms/1", "loom,hall\nL1,North\nL2,South\n");
    lake.run(PIPELINE);
  }

  private PipelineRun run(PipelineCheck check) {
    return new PipelineRun(
        check,
        new PipelineRun.Setting(
            "follow",
            TestLake.STARTED_AT,
            lake.lake(),
            lake,
            feed -> Map.of(),
            java.util.Optional.empty(),
            ExecutionContext.standalone(1 << 28),
            line -> {}));
  }

  private RowStory.Look look() {
    return new RowStory.Look(lake, lake.lake(), ExecutionContext.standalone(1 << 28));
  }

  private RowStory back(String table, Map<String, String> key) {
    PipelineCheck check = lake.check(PIPELINE);
    return RowStory.of(check, run(check), look(), TableName.parse(table), key);
  }

  private RowStory ahead(long line) {
    PipelineCheck check = lake.check(PIPELINE);
    Map<String, String> values =
        look().line(lake.feed("rolls").orElseThrow(), "rolls/1", line).orElseThrow();
    return RowStory.ahead(check, run(check), look(), "rolls", values);
  }

  private static String told(RowStory story) {
    return story.chapters().stream()
        .map(c -> c.step() + " " + c.out() + (c.words().isEmpty() ? "" : " (" + c.words() + ")"))
        .collect(Collectors.joining(", "));
  }

  private static RowStory.Chapter chapter(RowStory story, String step) {
    return story.chapters().stream().filter(c -> c.step().equals(step)).findFirst().orElseThrow();
  }

  @Test
  void aRowOfATableIsFollowedBackToItsLinesPastTheRowThatItStandsFor() {
    RowStory story = back("t.rolls", Map.of("roll", "R1"));

    assertEquals(
        "rolls 2, tidy 2, usable 2, once 1 (1 merged into the row that stayed), placed 1 (found its partner in looms), sound 1, publish 1 (ended in t.rolls)",
        told(story));
    assertEquals(List.of("rolls/1, line 2", "rolls/1, line 3"), chapter(story, "rolls").places());
    assertEquals(
        "[[R1, L1, 2026-03-01T05:00, 10.00, 2026-03-01, 20.00]]",
        chapter(story, "once").left().toString());
  }

  @Test
  void anAggregateIsFollowedToTheRowsThatWentIntoIt() {
    RowStory story = back("t.halls", Map.of("hall", "south"));

    assertTrue(told(story).endsWith("by_hall 1, publish_halls 1 (ended in t.halls)"), told(story));
    assertEquals("R4", chapter(story, "sound").rows().get(0).get(0));
    assertEquals(List.of(), back("t.rolls", Map.of("roll", "R7")).chapters());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "2 | rolls 1, tidy 1, usable 1, once 0 (merged into another row that stayed, alike in the columns of the dedupe)",
        "4 | rolls 1, tidy 1, usable 0 (1 left here: not metres > 0)",
        "5 | rolls 1, tidy 1, usable 1, once 1, placed 1 (found no partner in looms), sound 0 (1 did not meet the rules and were set aside)",
        "6 | rolls 1, tidy 1, usable 1, once 1, placed 1 (found its partner in looms), sound 1, publish 1 (ended in t.rolls)",
      })
  void aLineIsFollowedToWhereItEnds(long line, String story) {
    assertEquals(story, told(ahead(line)));
  }

  @Test
  void columnsComeFromWhatTheAlgebraReads() {
    ColumnLineage lineage = ColumnLineage.of(lake.check(PIPELINE));

    assertEquals(
        Set.of(new ColumnLineage.From(new At("rolls", "len"), true)),
        lineage.from(new At("tidy", "metres")));
    assertEquals(
        Set.of(new ColumnLineage.From(new At("rolls", "len"), false)),
        lineage.from(new At("tidy", "twice")));
    assertEquals(
        Set.of(new ColumnLineage.From(new At("sound", "metres"), false)),
        lineage.from(new At("by_hall", "metres")));
    assertEquals(Set.of(), lineage.from(new At("by_hall", "n")));
    assertEquals(
        Map.of("by_hall", List.of("roll", "loom", "woven", "day", "twice")), lineage.lost());
    assertEquals("sum(metres)", lineage.how(new At("by_hall", "metres")));
    assertTrue(
        lineage
            .sameBehind(new At("publish", "roll"))
            .containsAll(Set.of(new At("once", "roll"), new At("rolls", "roll"))));
    assertTrue(lineage.sameBehind(new At("publish", "loom")).contains(new At("looms", "loom")));
    assertTrue(
        lineage.sameAhead(new At("looms", "hall")).contains(new At("publish_halls", "hall")));
    assertEquals(
        new ColumnLineage.Edge("feed", "rolls", "len"),
        lineage.outside(new At("rolls", "len"), lake).orElseThrow());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "R1 | r1 | true",
        "7.50 | 7.5 | true",
        "7.50 | 7.51 | false",
        "2026-03-01 | 2026-03-01 05:00:00 | true",
        "a  b | A b | true",
        "a b | ab | false",
      })
  void valuesAreTheSameButForTypeCaseAndBlanks(String value, String wanted, boolean same) {
    Object typed =
        value.matches("\\d+\\.\\d+")
            ? new java.math.BigDecimal(value)
            : value.matches("\\d{4}-.*") ? java.time.LocalDate.parse(value) : value;

    assertEquals(same, RowStory.same(typed, wanted));
  }
}

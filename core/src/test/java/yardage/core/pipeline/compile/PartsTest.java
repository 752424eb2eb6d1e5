package yardage.core.pipeline.compile;

import static org.junit.jupiter.api.Assertions.assertEquals;
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
import yardage.core.pipeline.read.PartDocument;
import yardage.core.testing.TestLake;

/** Steps that several pipelines use. */
class PartsTest {
  private static final String PART =
      """
      part: placed
      inputs: [rolls, looms]
      parameters:
        least: {type: int, default: 0}
        say: {type: varchar, default: no}
      steps:
        usable: {from: rolls, keep: metres > :least}
        tagged: {from: [usable], sql: "select roll, loom, metres, cast(:say as varchar) as said from usable"}
        with_hall: {from: tagged, join: {with: looms, on: [loom], kind: left}}
      gives: with_hall
      """;

  private static final String PIPELINE =
      """
      pipeline: p
      parameters: {least: {type: int, default: 99}}
      steps:
        cuts: {read: {feed: rolls}}
        places: {read: {feed: looms}}
        all: {from: [cuts, places], use: {part: placed}}
        long: {from: [cuts, places], use: {part: placed, with: {least: 15, say: yes}}}
        out: {from: all, write: {table: t.whole, mode: replace}}
        out_long: {from: long, write: {table: t.long, mode: replace}}
      """;

  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
    lake.declare(
        "feed: rolls\nfiles: rolls/*\ntake: all\ntext: {}\ncolumns: {roll: varchar, loom: varchar, metres: int}\n");
    lake.declare(
        "feed: looms\nfiles: looms/*\ntake: all\ntext: {}\ncolumns: {loom: varchar, hall: varchar}\n");
    lake.file("rolls/1", "roll,loom,metres\nR1,L1,10\nR2,L2,20\nR3,L3,0\n");
    lake.file("looms/1", "loom,hall\nL1,North\nL2,South\n");
    lake.declarePart(PART);
  }

  @Test
  void theSamePartServesTwiceWithValuesOfItsOwn() {
    Map<String, Tally> tallies = lake.run(PIPELINE);

    assertEquals(
        "[[R1, L1, 10, no, North], [R2, L2, 20, no, South]]",
        lake.query("select * from t.whole order by 1").toString());
    assertEquals(
        "[[R2, L2, 20, yes, South]]", lake.query("select * from t.long order by 1").toString());
    assertEquals(2, tallies.get("long__usable").filtered());
    assertEquals(
        List.of(
            "cuts",
            "places",
            "all__usable",
            "all__tagged",
            "all",
            "long__usable",
            "long__tagged",
            "long",
            "out",
            "out_long"),
        List.copyOf(tallies.keySet()));
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "{part: placed} | {part: plced} | There is no part [plced]; did you mean [placed]?",
        "from: [cuts, places], use: {part: placed} | from: [cuts], use: {part: placed} | Part [placed] takes 2 inputs (rolls, looms), and [from] names 1",
        "least: 15 | lest: 15 | Part [placed] has no parameter [lest]; there are least, say",
        "least: 15 | least: much | Cannot cast [much] to int",
        "from: [cuts, places], use: {part: placed} | from: [places, cuts], use: {part: placed} | In part [placed], step [usable], line 7: There is no column [metres]",
      })
  void whatDoesNotFitIsToldWhereThePartIsUsed(String text, String wrong, String expected) {
    List<Problem> problems = lake.check(PIPELINE.replace(text, wrong)).problems();

    assertTrue(
        problems.stream().anyMatch(p -> p.message().contains(expected) && p.place().line() > 5),
        problems.toString());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      value = {
        "gives: with_hall | gives: with_hal | There is no step or input [with_hal]",
        "from: rolls | from: rols | There is no step or input [rols]; there are rolls, looms",
        "inputs: [rolls, looms] | about: x | [inputs] is missing",
        "keep: metres > :least | read: {feed: rolls} | A part has no step with [read]",
      })
  void partsThatAreWrongSayWhy(String text, String wrong, String expected) {
    PartDocument.Parsed parsed = PartDocument.parse(PART.replace(text, wrong));

    assertTrue(parsed.part().isEmpty());
    assertTrue(parsed.problems().toString().contains(expected), parsed.problems().toString());
  }
}

package yardage.core.feed;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.function.UnaryOperator;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.TestLake;

/** Rows that were set aside and come back: each once, and as if they had never been away. */
class ReplaysTest {
  @TempDir Path folder;
  private TestLake lake;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
  }

  private static final String PLACES =
      "mill: {type: varchar, folder: mill}, file: {add: file}, line: {add: line}";

  /** For each format: the feed, a file with a bad second record, and what mends that record. */
  static List<Arguments> formats() {
    return List.of(
        Arguments.of(
            "delimited",
            "text: {separator: ';'}",
            "columns: {roll: varchar, metres: {type: int, required: true}, note: varchar, %s}",
            "roll;metres;note\nR1;5;\"two\nlines\"\nR2;x;\"three\n\nlines\"\nR3;7;\n",
            (UnaryOperator<String>) r -> r.replace(";x;", ";6;")),
        Arguments.of(
            "fixed width",
            "fixed: {skip-lines: 1}",
            "columns: {roll: {type: varchar, at: 1-2}, metres: {type: int, at: 3-4, trim: true, required: true}, note: {type: varchar, at: 5-6}, %s}",
            "HEAD\nR1 5ab\nR2 xab\nR3 7ab\n",
            (UnaryOperator<String>) r -> r.replace('x', '6')),
        Arguments.of(
            "pattern",
            "lines: {pattern: '(?<roll>R\\d) (?<metres>\\S+) (?<note>.*)', skip-lines: 2}",
            "columns: {roll: varchar, metres: {type: int, required: true}, note: varchar, %s}",
            "one\ntwo\nR1 5 a\nR2 x b\nR3 7 c\n",
            (UnaryOperator<String>) r -> r.replace(" x ", " 6 ")),
        Arguments.of(
            "JSON lines",
            "json: {records: lines}",
            "columns: {roll: varchar, metres: {type: int, required: true}, note: varchar, %s}",
            "{\"roll\":\"R1\",\"metres\":5}\n{\"roll\":\"R2\",\"metres\":\"x\"}\n{\"roll\":\"R3\",\"metres\":7}\n",
            (UnaryOperator<String>) r -> r.replace("\"x\"", "6")),
        Arguments.of(
            "a JSON array",
            "json: {records: '$.rolls[*]'}",
            "columns: {roll: varchar, metres: {type: int, required: true}, note: varchar, %s}",
            "{\"day\":1,\"rolls\":[{\"roll\":\"R1\",\"metres\":5},\n{\"roll\":\"R2\",\n\"metres\":\"x\"},\n{\"roll\":\"R3\",\"metres\":7}]}\n",
            (UnaryOperator<String>) r -> r.replace("\"x\"", "6")),
        Arguments.of(
            "XML",
            "xml: {row: roll}",
            "columns: {roll: {type: varchar, from: '@id'}, metres: {type: int, required: true}, note: varchar, %s}",
            "<rolls xmlns='urn:mill'>\n<roll id='R1'><metres>5</metres></roll>\n<roll id='R2'>\n<metres>x</metres>\n</roll>\n<roll id='R3'><metres>7</metres></roll>\n</rolls>\n",
            (UnaryOperator<String>) r -> r.replace(">x<", ">6<")));
  }

  private String pipeline() {
    return "pipeline: land\nsteps:\n  rows: {read: {feed: rolls}}\n  out: {from: rows, write: {table: raw.rolls, columns: follow}}\n";
  }

  private List<SetAsideStore.Row> setAside(int run) {
    List<SetAsideStore.Row> out = new ArrayList<>();
    SetAsideStore.each(
        LocalStorage.place(folder.resolve("set-aside/%d.jsonl".formatted(run))), out::add);
    return out;
  }

  private FeedDefinition feed() {
    return lake.feed("rolls").orElseThrow();
  }

  private void replay(SetAsideStore.Row row, String text, String name) {
    Replays.release(
        lake.lake().inbox(),
        Replays.write(
            lake.lake().inbox(),
            feed(),
            name,
            List.of(
                Replays.traced(
                    lake.lake().inbox(),
                    new Replays.Line(
                        text,
                        row.before(),
                        row.after(),
                        row.file(),
                        row.line(),
                        row.byteOffset())))));
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("formats")
  void aCorrectedRowKeepsItsFileItsLineAndItsFoldersValue(
      String name, String format, String columns, String contents, UnaryOperator<String> mend) {
    lake.declare(
        "feed: rolls\nfiles: in/**\nset-aside-limit: {rows: 9}\n%s\n%s\n"
            .formatted(format, columns.formatted(PLACES)));
    lake.file("in/mill=M3/day-1", contents);

    lake.run(pipeline());
    SetAsideStore.Row bad = setAside(1).get(0);
    replay(bad, mend.apply(bad.original()), "run-1-1");
    var second = lake.run(pipeline());
    var third = lake.run(pipeline());

    assertEquals(1, setAside(1).size());
    assertEquals(1, second.get("rows").rowsIn());
    assertEquals(0, second.get("rows").setAside(), setAside(2).toString());
    assertEquals(0, third.get("rows").rowsIn(), "a replayed row is taken in once");
    assertEquals(
        "[[R1, 5, M3, in/mill=M3/day-1], [R2, 6, M3, in/mill=M3/day-1], [R3, 7, M3, in/mill=M3/day-1]]",
        lake.query("select roll, metres, mill, file from raw.rolls order by 1").toString());
    assertEquals(
        bad.line(),
        ((Number) lake.query("select line from raw.rolls where roll = 'R2'").get(0).get(0))
            .longValue(),
        "the line that it had");
  }

  @Test
  void rowsOfSeveralFilesAreReplayedUnderTheNamesOfTheirOwn() throws IOException {
    lake.declare(
        "feed: rolls\nfiles: in/**\nset-aside-limit: {rows: 9}\ntext: {}\ncolumns: {roll: varchar, metres: int, at: {add: byte}, %s}\n"
            .formatted(PLACES));
    lake.file("in/mill=M1/a", "roll,metres\nR1,x\nR2,2\nR3,y\n");
    lake.file("in/mill=M2/b", "roll,metres\nR4,4\nR5,z\n");
    lake.run(pipeline());
    List<SetAsideStore.Row> bad = setAside(1);

    List<String> files =
        Replays.write(
            lake.lake().inbox(),
            feed(),
            "run-1-1",
            bad.stream()
                .map(
                    r ->
                        new Replays.Line(
                            r.original().replaceAll("[xyz]", "7"),
                            r.before(),
                            r.after(),
                            r.file(),
                            r.line(),
                            r.byteOffset()))
                .toList());
    assertEquals(0, lake.run(pipeline()).get("rows").rowsIn(), "held until it is released");
    assertEquals(Set.of(files.get(0)), Replays.held(lake.lake().inbox()).keySet());
    assertEquals(files, Replays.group(lake.lake().inbox(), files.get(0)));
    Replays.release(lake.lake().inbox(), files);
    lake.run(pipeline());

    assertEquals(2, files.size(), "one for each file");
    assertEquals(
        "[[R1, 7, 12, M1, in/mill=M1/a, 2], [R3, 7, 22, M1, in/mill=M1/a, 4], [R5, 7, 17, M2, in/mill=M2/b, 3]]",
        lake.query("select * from raw.rolls where metres = 7 order by 1").toString());

    Replays.remove(lake.lake().inbox(), files);
    try (var left = Files.walk(lake.inbox().resolve(".replayed"))) {
      assertTrue(left.noneMatch(Files::isRegularFile), "nothing of them is left");
    }
  }

  @Test
  void aReplayThatStillDoesNotFitIsSetAsideAgainAndCanBeTriedAgain() {
    lake.declare(
        "feed: rolls\nfiles: in/**\nset-aside-limit: {rows: 9}\ntext: {}\ncolumns: {roll: varchar, metres: int, %s}\n"
            .formatted(PLACES));
    lake.file("in/mill=M7/a", "roll,metres\n\nR1,x\n");
    lake.run(pipeline());

    replay(setAside(1).get(0), "R1,y", "run-1-1");
    var again = lake.run(pipeline());
    SetAsideStore.Row still = setAside(2).get(0);
    replay(still, "R1,3", "run-2-1");
    lake.run(pipeline());

    assertEquals(1, again.get("rows").setAside());
    assertEquals("R1,y", still.original());
    assertFalse(
        still.file().equals("in/mill=M7/a"), "it is told apart from the row of the file itself");
    assertEquals(
        "[[R1, 3, M7, in/mill=M7/a, 3]]",
        lake.query("select * from raw.rolls").toString(),
        "it comes from where it first came from");
  }

  /** Replays that were kept before they said where their rows come from. */
  @Test
  void aReplayWithoutAnOriginIsStillRead() throws IOException {
    lake.declare("feed: rolls\nfiles: in/*\ntext: {}\ncolumns: {roll: varchar, metres: int}\n");
    lake.file("in/a", "roll,metres\nR1,1\n");
    lake.file(".replayed/rolls/run-1-1", "roll,metres\nR2,2\n");

    lake.run(pipeline());

    assertEquals("[[R1, 1], [R2, 2]]", lake.query("select * from raw.rolls order by 1").toString());
  }
}

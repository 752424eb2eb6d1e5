package yardage.core.feed;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import yardage.core.document.Problem;
import yardage.core.storage.LocalStorage;

/** A feed's document, and which files it finds. */
class FeedTest {
  @TempDir Path inbox;

  private static String feed(String files) {
    return "feed: rolls\nfiles: "
        + files
        + "\ntext: {separator: \";\"}\ncolumns: {roll: varchar}\n";
  }

  private List<String> found(String files) throws IOException {
    return FileDiscovery.find(
            new yardage.core.lake.RawFolders(LocalStorage.place(inbox)),
            FeedDefinition.parse(feed(files)).feed().orElseThrow())
        .stream()
        .map(FileDiscovery.Found::path)
        .toList();
  }

  private void file(String path) throws IOException {
    Files.createDirectories(inbox.resolve(path).getParent());
    Files.writeString(inbox.resolve(path), "x");
  }

  @Test
  void readsAWholeDocument() {
    FeedDefinition feed =
        FeedDefinition.parse(
                """
                feed: roll-ledger
                about: Rolls.
                files: [a/*.txt, b/*.txt]
                take: all
                text: {separator: "\\t", quote: none, header: false}
                nulls: ["", "-"]
                columns:
                  roll: {type: varchar, required: true, nulls: []}
                  metres: decimal(9, 2)
                  day: {type: date, format: dd.MM.yy(2000)}
                set-aside-limit: {rows: 10, share: 2%}
                """)
            .feed()
            .orElseThrow();

    assertEquals("\t", ((FeedFormat.Delimited) feed.format()).layout().separator());
    assertEquals(0, ((FeedFormat.Delimited) feed.format()).layout().quote());
    assertEquals(
        "[Field[name=roll, type=varchar, nullable=false], Field[name=metres, type=decimal(9, 2), nullable=true], Field[name=day, type=date, nullable=true]]",
        feed.schema().fields().toString());
    assertEquals(List.of("", "-"), feed.columns().get(1).rule().nullTokens());
    assertEquals(10L, feed.limit().rows().orElseThrow());
    assertEquals(0.02, feed.limit().share());
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '|',
      quoteCharacter = '`',
      value = {
        "feed: Rolls | 1:7 Invalid name [Rolls]",
        "fed: rolls | 1:1 There is no [fed] here; did you mean [feed]?",
        "files: ../x | must stay below the inbox",
        "files: /etc/passwd | must stay below the inbox",
        "files: '[a' | cannot be read",
        "text: {separator: ''} | it must have a character",
        "text: {quote: ab} | write one character, or none",
        "text: {separator: 'x\"', quote: '\"'} | must not hold the quote",
        "take: some | [some] is not one of new, all",
        "columns: {a: varchr} | Unknown type [varchr]",
        "columns: {a: \"decimal(39, 2)\"} | precision must be 1 to 38",
        "columns: {a: {type: int, format: yyyy}} | Only dates, times and binary values have a format",
        "columns: {a: {type: date, format: yyyy-QQ}} | Unknown letter [Q]",
        "columns: {a: {type: date, format: yyyy}} | must have year (y), month (M) and day (d)",
        "columns: {a: {typ: int}} | did you mean [type]?",
        "columns: {} | A feed needs at least one column",
        "set-aside-limit: {rows: -1} | Invalid count [-1]",
        "set-aside-limit: {share: 2} | Invalid share [2]",
        "columns: [a] | must hold named values",
        "feed: {a: b | This is not YAML",
        "columns: {a: decimal(9, 2)} | put it in double quotes",
        "feed: a~feed: b | [feed] is there twice",
      })
  void saysWhatIsWrong(String line, String expected) {
    FeedDefinition.Parsed parsed = FeedDefinition.parse(line.replace("~", "\n"));

    assertTrue(parsed.feed().isEmpty());
    List<String> problems = parsed.problems().stream().map(FeedTest::text).toList();
    assertTrue(
        problems.stream().anyMatch(p -> p.contains(expected)),
        expected + "\nis not among\n" + problems);
  }

  private static String text(Problem p) {
    return "%d:%d %s".formatted(p.place().line(), p.place().column(), p.message());
  }

  @Test
  void findsFilesByPatternInOrderAndPassesOverHiddenTemporaryAndLinkedOnes() throws IOException {
    for (String f :
        List.of(
            "a/2.csv",
            "a/1.csv",
            "a/deep/er/3.csv",
            "b/x y ção.csv",
            "a/.hidden.csv",
            "a/4.csv.tmp",
            "a/5.csv.part",
            ".secret/6.csv",
            "a/7.txt")) {
      file(f);
    }
    Path outside = Files.createTempFile("outside", ".csv");
    Files.createSymbolicLink(inbox.resolve("a/link.csv"), outside);
    Files.createSymbolicLink(inbox.resolve("linked"), outside.getParent());

    assertEquals(List.of("a/1.csv", "a/2.csv"), found("a/*.csv"));
    assertEquals(
        List.of("a/1.csv", "a/2.csv", "a/deep/er/3.csv", "b/x y ção.csv"), found("\"**.csv\""));
    assertEquals(List.of("a/1.csv", "a/7.txt"), found("\"a/{1.csv,7.*}\""));
    assertEquals(List.of("b/x y ção.csv"), found("[b/*, \"b/x*\"]"));
    assertEquals(List.of(), found("linked/*"));
    assertTrue(
        assertThrows(FeedException.class, () -> found("a")).getMessage().contains("write a/*"));
    assertTrue(
        assertThrows(FeedException.class, () -> found("a/9.csv"))
            .getMessage()
            .contains("not in the inbox"));
    Files.delete(outside);
  }
}

package yardage.client;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.List;
import java.util.function.Consumer;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tools.jackson.databind.JsonNode;
import yardage.client.Output.Heading;

/** What people and programs read. */
class OutputTest {
  private static String printed(Consumer<PrintStream> print) {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    print.accept(new PrintStream(out, true, StandardCharsets.UTF_8));
    return out.toString(StandardCharsets.UTF_8);
  }

  @Test
  void tablesAlignByCharactersAndEndWithoutBlanks() {
    String table =
        printed(
            out ->
                Output.table(
                    out,
                    List.of(Heading.of("mill", "varchar"), Heading.of("rolls", "float")),
                    List.of(List.of("Zimação", "1,204"), List.of("Torvi", "7"))));

    assertEquals(
        List.of("mill     rolls", "\u2500".repeat(14), "Zimação  1,204", "Torvi        7"),
        table.lines().toList());
  }

  @Test
  void csvTellsNullFromEmptyAndQuotesWhatNeedsIt() {
    String csv =
        printed(
            out ->
                Output.csv(
                    out,
                    List.of("a", "b"),
                    List.of(Arrays.asList(null, ""), List.of("x,\"y\"", "two\nlines")),
                    false));

    assertEquals("a,b\r\n,\"\"\r\n\"x,\"\"y\"\"\",\"two\nlines\"\r\n", csv);
  }

  @ParameterizedTest
  @CsvSource({
    "0, 0 B",
    "999, 999 B",
    "1000, 1.0 kB",
    "9949, 9.9 kB",
    "9960, 10 kB",
    "999600, 1.0 MB",
    "2400000000, 2.4 GB"
  })
  void sizesReadAsPeopleSayThem(long bytes, String expected) {
    assertEquals(expected, Output.bytes(bytes));
  }

  @Test
  void whatCannotBeSeenIsMarked() {
    assertEquals("\u00b7L 1\u00b7\u00b7", Output.visible(" L 1  "));
    assertEquals("a\u2409b", Output.visible("a\tb"));
    assertEquals("\u00b7\u00b7", Output.visible("  "));
    assertEquals("2026-03-01 10:20:30", Output.time("2026-03-01T10:20:30.123456Z"));
    assertEquals("1:05 min", Output.millis(65_000));
  }

  private static JsonNode run(String steps) {
    return Api.JSON.readTree(
        "{\"summary\": {\"id\": 4, \"pipeline\": \"cloth\", \"state\": \"running\", \"elapsedMillis\": 1500}, \"balance\": \"The books balance: 5 read = 5 written\", \"steps\": ["
            + steps
            + "]}");
  }

  private static final String READ =
      "{\"name\": \"rolls\", \"verb\": \"read\", \"detail\": \"feed f\", \"tally\": {\"state\": \"running\", \"rowsIn\": 1200, \"rowsOut\": 1190, \"setAside\": 10, \"cpuMillis\": 20}}";
  private static final String WRITE =
      "{\"name\": \"publish\", \"verb\": \"write\", \"detail\": \"a.b\", \"tally\": {\"state\": \"waiting\"}}";

  @Test
  void theAccountShowsOnlyColumnsThatSomeStepHasSomethingIn() {
    List<String> lines =
        printed(out -> TallyPrinter.print(out, run(READ + ", " + WRITE))).lines().toList();

    assertEquals("step     does            in  set aside    out    time  memory", lines.get(0));
    assertEquals("rolls    read feed f  1,200         10  1,190  0.02 s", lines.get(2));
    assertEquals("\u2550".repeat(lines.get(1).length()), lines.get(4));
    assertEquals("The books balance: 5 read = 5 written", lines.get(5));
  }

  @Test
  void aRunThatGoesOnHasALineForEachStep() {
    List<String> lines = TallyPrinter.progress(run(READ + ", " + WRITE));

    assertEquals("cloth, run 4: running, 1.50 s", lines.get(0));
    assertTrue(lines.get(1).matches("  rolls    +1,200 in +1,190 out  10 set aside"), lines.get(1));
    assertEquals("  publish  waits", lines.get(2));
  }

  @Test
  void wrongUsageAndNoServiceHaveExitCodesOfTheirOwn() {
    PrintStream real = System.err;
    System.setErr(new PrintStream(new ByteArrayOutputStream()));
    try {
      assertEquals(ExitCode.WRONG_USAGE, Main.run("run"));
      assertEquals(ExitCode.WRONG_USAGE, Main.run("query", "select 1", "--output", "xml"));
      assertEquals(ExitCode.NO_SERVICE, Main.run("--server", "http://127.0.0.1:9", "runs"));
      assertEquals(ExitCode.WRONG_USAGE, Main.run("--server", "not an address", "runs"));
    } finally {
      System.setErr(real);
    }
  }
}

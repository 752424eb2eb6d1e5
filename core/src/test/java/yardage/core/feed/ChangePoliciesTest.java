package yardage.core.feed;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;
import yardage.core.exec.Tally;
import yardage.core.feed.propose.FeedChanges;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.storage.LocalStorage;
import yardage.core.testing.TestLake;

/** Each way in which a source changes, in each format that knows names, under each policy. */
class ChangePoliciesTest {
  private static final List<String> FORMATS =
      List.of("text: {}", "json: {}", "xml: {row: r}", "parquet: {}");

  @TempDir Path folder;
  private TestLake lake;
  private int files;

  @BeforeEach
  void makeLake() {
    lake = new TestLake(folder);
  }

  static Stream<Arguments> formatsAndPolicies() {
    List<Arguments> out = new ArrayList<>();
    for (String format : FORMATS) {
      for (String policy : List.of("stop", "add", "strays", "ignore")) {
        out.add(Arguments.of(format, policy));
      }
    }
    return out.stream();
  }

  static Stream<Arguments> formats() {
    return FORMATS.stream().map(Arguments::of);
  }

  /** A file of some records with the fields that they are given. */
  private void arrive(String format, List<Map<String, String>> records) throws IOException {
    String path = "in/%02d".formatted(++files);
    List<String> names = List.copyOf(records.get(0).keySet());
    StringBuilder out = new StringBuilder();
    if (format.startsWith("text")) {
      out.append(String.join(",", names)).append('\n');
      records.forEach(r -> out.append(String.join(",", r.values())).append('\n'));
    } else if (format.startsWith("xml")) {
      out.append("<a>");
      records.forEach(
          r -> {
            out.append("<r>");
            r.forEach((n, v) -> out.append("<%1$s>%2$s</%1$s>".formatted(n, v)));
            out.append("</r>");
          });
      out.append("</a>");
    } else {
      records.forEach(
          r -> {
            List<String> members = new ArrayList<>();
            r.forEach(
                (n, v) ->
                    members.add(
                        "\"%s\":%s".formatted(n, v.matches("[0-9.]+") ? v : "\"" + v + "\"")));
            out.append('{').append(String.join(",", members)).append("}\n");
          });
    }
    if (format.startsWith("parquet")) {
      parquet(path, names, out.toString());
    } else {
      lake.file(path, out.toString());
    }
  }

  /** A Parquet file, made by a table of another lake. */
  private void parquet(String path, List<String> names, String lines) throws IOException {
    Path other = Files.createDirectories(folder.resolve("other" + files));
    TestLake maker = new TestLake(other);
    List<String> columns = new ArrayList<>();
    for (String name : names) {
      boolean number =
          lines
              .lines()
              .allMatch(
                  l ->
                      l.contains("\"%s\":".formatted(name))
                          && !l.contains("\"%s\":\"".formatted(name)));
      columns.add(name + ": " + (number ? lines.contains(".") ? "double" : "int" : "varchar"));
    }
    maker.declare(
        "feed: f\nfiles: f\njson: {}\ncolumns: {%s}\n".formatted(String.join(", ", columns)));
    maker.file("f", lines);
    maker.run(
        "pipeline: p\nsteps:\n  rows: {read: {feed: f}}\n  out: {from: rows, write: {table: t.t}}\n");
    try (Stream<Path> all = Files.walk(other.resolve("tables"))) {
      Path data = all.filter(p -> p.toString().endsWith(".parquet")).findFirst().orElseThrow();
      lake.file(path, Files.readAllBytes(data));
    }
  }

  private static String feed(String format, String policy) {
    return "feed: rolls\nfiles: in/*\n%s\nchange: %s\ncolumns: {roll: varchar, metres: int}\n"
        .formatted(format, policy);
  }

  private Map<String, Tally> take(String feed) {
    lake.declare(feed);
    return lake.run(
        "pipeline: land\nsteps:\n  rows: {read: {feed: rolls}}\n  out: {from: rows, write: {table: raw.rolls, columns: follow}}\n");
  }

  private String accepted(String feed) {
    FeedDefinition definition = FeedDefinition.parse(feed).feed().orElseThrow();
    return FeedChanges.of(definition, feed, FileDiscovery.find(lake.lake().raw(), definition))
        .text();
  }

  private String rows() {
    return lake.query("select * from raw.rolls order by roll").toString();
  }

  private static Map<String, String> record(String... namesAndValues) {
    Map<String, String> out = new java.util.LinkedHashMap<>();
    for (int i = 0; i < namesAndValues.length; i += 2) {
      out.put(namesAndValues[i], namesAndValues[i + 1]);
    }
    return out;
  }

  @ParameterizedTest(name = "{0}, {1}")
  @MethodSource("formatsAndPolicies")
  void aNewFieldIsHandledAsTheFeedSays(String format, String policy) throws IOException {
    String feed = feed(format, policy);
    arrive(format, List.of(record("roll", "R1", "metres", "5")));
    take(feed);
    arrive(format, List.of(record("roll", "R2", "metres", "6", "shade", "blue")));

    switch (policy) {
      case "stop" -> {
        String message = assertThrows(RunFailedException.class, () -> take(feed)).getMessage();
        assertTrue(
            message.contains("[shade]") && message.contains("yardage feed accept rolls"), message);
        assertEquals("[[R1, 5]]", rows(), "nothing of the run was published");
        take(accepted(feed));
        assertEquals("[[R1, 5, null], [R2, 6, blue]]", rows());
      }
      case "add" -> {
        // The service accepts before it runs; here that is done by hand.
        take(accepted(feed));
        assertEquals("[[R1, 5, null], [R2, 6, blue]]", rows());
      }
      case "strays" -> {
        take(feed);
        assertEquals("[[R1, 5, null], [R2, 6, {\"shade\":\"blue\"}]]", rows());
      }
      default -> {
        take(feed);
        assertEquals("[[R1, 5], [R2, 6]]", rows());
      }
    }
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("formats")
  void numbersThatGrowAreAcceptedAndOlderRowsStayWhatTheyWere(String format) throws IOException {
    String feed = feed(format, "stop");
    arrive(format, List.of(record("roll", "R1", "metres", "5")));
    take(feed);
    arrive(
        format,
        List.of(record("roll", "R2", "metres", "6.25"), record("roll", "R3", "metres", "7.5")));

    String wider = accepted(feed);
    take(wider);

    assertTrue(wider.contains("metres: decimal(") || wider.contains("metres: \"decimal("), wider);
    assertEquals(
        "[[R1, 5.0], [R2, 6.25], [R3, 7.5]]",
        lake.query("select roll, cast(metres as double) from raw.rolls order by roll").toString());
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("formats")
  void aTypeThatCannotGrowIsToldAndItsRowsAreSetAside(String format) throws IOException {
    String feed = feed(format, "stop") + "set-aside-limit: {share: 100%}\n";
    arrive(format, List.of(record("roll", "R1", "metres", "5")));
    take(feed);
    arrive(
        format,
        List.of(record("roll", "R2", "metres", "about 6"), record("roll", "R3", "metres", "9")));

    Map<String, Tally> tallies = take(feed);

    assertEquals(1, tallies.get("rows").setAside());
    assertEquals(Map.of("wrong-type", 1L), lake.lastRun().setAsideByReason());
    assertEquals("[[R1, 5], [R3, 9]]", rows());
    SetAsideStore.Row aside =
        SetAsideStore.row(LocalStorage.place(folder.resolve("set-aside/2.jsonl")), 1).orElseThrow();
    assertTrue(aside.original().contains("about 6"), aside.original());
    assertEquals("metres", aside.failures().get(0).field());
    assertTrue(
        aside.failures().get(0).message().contains("[about 6] is not a valid int"),
        aside.toString());
  }

  @ParameterizedTest(name = "{0}")
  @MethodSource("formats")
  void aMissingFieldIsNullOrSetsItsRowsAside(String format) throws IOException {
    arrive(format, List.of(record("roll", "R1", "metres", "5")));
    take(feed(format, "ignore"));
    arrive(format, List.of(record("roll", "R2")));
    String may =
        feed(format, "ignore").replace("metres: int", "metres: {type: int, may-be-absent: true}");
    String must =
        feed(format, "ignore")
                .replace("metres: int", "metres: {type: int, required: true, may-be-absent: true}")
            + "set-aside-limit: {share: 100%}\n";

    take(may);
    arrive(format, List.of(record("roll", "R3")));
    Map<String, Tally> tallies = take(must);

    assertEquals("[[R1, 5], [R2, null]]", rows());
    assertEquals(1, tallies.get("rows").setAside());
    assertEquals(Map.of("missing-value", 1L), lake.lastRun().setAsideByReason());
  }
}

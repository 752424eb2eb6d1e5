package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import yardage.core.format.parquet.TheirReader;
import yardage.demo.WeavingMills;

/**
 * The README's tour: the whole sample scenario, and each command as a person types it. What comes
 * back is held against what the generator counted while it wrote the files.
 */
class TourTest {
  private static TestService service;
  private static WeavingMills.Expected expected;

  @BeforeAll
  static void runEverything() throws IOException {
    service = TestService.start().signedIn();
    expected = service.runSampleScenario(3000, 7);
  }

  @AfterAll
  static void stop() {
    service.close();
  }

  private static String say(String... arguments) {
    return service.say(arguments);
  }

  private static long count(String sql) {
    return Long.parseLong(say("query", sql, "-o", "csv").lines().skip(1).findFirst().orElseThrow());
  }

  private static long lastRun(String pipeline) {
    return service
        .get("/api/v1/runs?limit=1&pipeline=" + pipeline)
        .body()
        .get(0)
        .path("id")
        .asLong();
  }

  @Test
  void theAccountOfEveryRunBalancesToWhatTheGeneratorCounted() {
    String star = say("watch", "" + lastRun("cloth-star"));
    Matcher books = Pattern.compile("The books balance: (.*)").matcher(star);
    assertTrue(books.find(), star);
    long in = 0;
    long out = 0;
    String[] sides = books.group(1).split(" = ");
    for (Matcher m = Pattern.compile("[0-9,]+").matcher(sides[0]); m.find(); ) {
      in += Long.parseLong(m.group().replace(",", ""));
    }
    for (Matcher m = Pattern.compile("[0-9,]+").matcher(sides[1]); m.find(); ) {
      out += Long.parseLong(m.group().replace(",", ""));
    }

    assertEquals(in, out, books.group());
    assertEquals(expected.count("rolls"), count("select count(*) from star.fact_roll"));
    assertEquals(
        expected.count("shipments.known") + expected.count("shipments.unknown"),
        count("select count(*) from star.fact_shipment"));
    assertEquals(
        expected.count("unknown-loom"),
        count("select count(*) from star.fact_roll where loom_key = -1"));
    assertEquals(expected.count("suppliers") + 2, count("select count(*) from star.dim_supplier"));
    assertEquals(
        expected.count("looms") + expected.count("looms-moved") + 2,
        count("select count(*) from star.dim_loom"));
  }

  @Test
  void aRunThatJoinsNextToNothingSaysWhyAndIsMendedInOneCommand() {
    long run = lastRun("loom-hours");
    String account = say("tally", "" + run);
    String told = say("diagnose", "" + run);
    JsonNode kept = service.get("/api/v1/runs/%d/joins".formatted(run)).body();

    String line =
        "Join placed: %,d of %,d rows found something in looms; %,d more would without blanks at the ends. See why with: yardage diagnose %d placed"
            .formatted(
                expected.count("hours.plain"),
                expected.count("hours.plain") + expected.count("hours.padded"),
                expected.count("hours.padded"),
                run);
    assertTrue(account.contains(line), account);
    assertTrue(say("log", "" + run).contains("found something in looms"));
    assertTrue(told.contains("[L-0001······]  [L-0001]"), told);
    assertEquals("placed", kept.get(0).path("step").asString());
    assertEquals(
        0,
        service.get("/api/v1/runs/%d/joins".formatted(lastRun("roll-inspection"))).body().size(),
        "joins that find enough pass without a word");

    String document = say("diagnose", "loom-hours", "placed", "--mend");
    String saved = say("diagnose", "loom-hours", "placed", "--mend", "--save");
    String after = say("run", "loom-hours", "--wait");

    assertTrue(
        document.contains(
            "  hours_mended:\n    from: hours\n    shape: {trim: [loom_code]}\n  # Counters fill"),
        document);
    assertTrue(saved.contains("pipeline loom-hours is at version 2"), saved);
    assertTrue(!after.contains("Join placed") && !after.contains("unmatched"), after);
    assertEquals(
        expected.count("hours.plain") + expected.count("hours.padded"),
        count("select sum(looms) from mart.loom_hours"));
  }

  @Test
  void whatCannotBeDiagnosedIsToldWithTheWayOut() {
    assertRefused(2, "Name the step that joins", "diagnose", "roll-inspection");
    assertRefused(2, "A run's document stays as it was", "diagnose", "1", "--mend");
    assertRefused(1, "There is no pipeline [nowhere]", "diagnose", "nowhere", "placed");
    assertRefused(1, "no step [tidy] that joins on keys", "diagnose", "roll-inspection", "tidy");
    TestService.Answer wrong =
        service.post(
            "/api/v1/pipelines/mend",
            Map.of(
                "text",
                TestService.demoDocument("pipelines/roll-inspection.yaml"),
                "step",
                "placed",
                "remedy",
                "moonlight"));
    assertEquals(422, wrong.status());
    assertEquals("cannot-mend", wrong.body().path("code").asString());
  }

  private static void assertRefused(int code, String words, String... arguments) {
    TestService.Said said = service.client(arguments);
    assertEquals(code, said.code(), said.toString());
    assertTrue((said.out() + said.err()).contains(words), said.toString());
  }

  @Test
  void duplicatesStandBesideTheRowThatStays() {
    String found = say("duplicates", "roll-inspection", "once");
    assertTrue(found.contains("%,d".formatted(expected.count("merged"))), found);
    JsonNode json =
        new JsonMapper().readTree(say("duplicates", "roll-inspection", "once", "-o", "json"));
    for (JsonNode group : json.path("groups")) {
      long stay = group.path("rows").valueStream().filter(r -> r.path("stays").asBoolean()).count();
      assertEquals(1, stay, group.toString());
    }
  }

  @Test
  void aStarIsSoundAndAHastyOneIsNamedFaultByFault() {
    assertTrue(say("star", "check", "cloth").contains("cloth: nothing is wrong"));
    TestService.Said faulty = service.client("star", "check", "faulty");

    assertEquals(1, faulty.code());
    for (String fault :
        List.of(
            "measure-in-dimension",
            "unused-column",
            "text-in-fact",
            "dimension-on-dimension",
            "grain-not-unique",
            "key-unresolved")) {
      assertTrue(faulty.out().contains(fault), fault + " in " + faulty.out());
    }
  }

  @Test
  void measuresAreAskedForByName() {
    String byHall =
        say(
            "query",
            "SELECT loom_hall, metres_woven FROM cloth.rolls GROUP BY loom_hall ORDER BY 1",
            "-o",
            "csv");
    String byHand =
        say(
            "query",
            "SELECT d.hall, SUM(f.metres) FROM star.fact_roll f JOIN star.dim_loom d ON d.loom_key = f.loom_key GROUP BY d.hall ORDER BY 1",
            "-o",
            "csv");

    assertEquals(byHand.lines().skip(1).toList(), byHall.lines().skip(1).toList());
  }

  @Test
  void aRowIsFollowedBackToItsLinesAndForwardToItsEnd() {
    List<String> some =
        say("query", "select roll_id from star.fact_roll order by roll_id", "-o", "csv")
            .lines()
            .skip(1)
            .limit(3)
            .toList();
    for (String roll : some) {
      String story = say("follow", "row", "star.fact_roll", "roll_id=" + roll);
      Matcher place = Pattern.compile("(roll-ledger/\\S+), line (\\d+)").matcher(story);
      assertTrue(place.find(), story);
      String ahead = say("follow", "line", "roll-ledger", place.group(1), place.group(2));
      assertTrue(ahead.contains("ended in star.fact_roll") || ahead.contains("merged"), ahead);
    }
    String column = say("follow", "column", "mart.roll_inspection", "defects");
    assertTrue(column.contains("feed inspections.defects"), column);
  }

  @Test
  void rulesAreKeptRunByRun() {
    String rules = say("checks", "cloth-star");
    assertTrue(rules.contains("nothing_lost"), rules);
    JsonNode kept = service.get("/api/v1/pipelines/cloth-star/checks").body();
    assertTrue(
        kept.valueStream().allMatch(c -> c.path("outcome").asString().equals("met")),
        kept.toString());
  }

  @Test
  void exportsHoldWhatQueriesSay() throws IOException {
    Path folder = Files.createTempDirectory(service.home, "exports");
    List<String> sizes = new ArrayList<>();
    for (String ending : List.of("csv", "jsonl", "parquet")) {
      Path file = folder.resolve("rolls." + ending);
      say("export", "mart.roll_inspection", "-o", file.toString());
      sizes.add(
          ""
              + (ending.equals("parquet")
                  ? TheirReader.read(file).size()
                  : lines(file) - (ending.equals("csv") ? 1 : 0)));
    }
    String rows = "" + count("select count(*) from mart.roll_inspection");

    assertEquals(List.of(rows, rows, rows), sizes);
  }

  private static long lines(Path file) throws IOException {
    try (Stream<String> all = Files.lines(file)) {
      return all.count();
    }
  }

  /** Every list can be read by programs: the same rows as JSON and as delimited text. */
  @Test
  void everyListIsThereForProgramsToo() {
    for (String command :
        List.of(
            "runs",
            "feed list",
            "pipeline list",
            "part list",
            "star list",
            "table list",
            "table health",
            "checks cloth-star")) {
      String[] words = command.split(" ");
      String[] csv = Stream.concat(Stream.of(words), Stream.of("-o", "csv")).toArray(String[]::new);
      String[] json =
          Stream.concat(Stream.of(words), Stream.of("-o", "json")).toArray(String[]::new);
      JsonNode parsed = new JsonMapper().readTree(say(json));
      JsonNode rows = parsed.isArray() ? parsed : parsed.path("rows");

      assertTrue(rows.size() > 0, command + ": " + parsed);
      assertTrue(say(csv).lines().count() > rows.size(), command + " has a head and its rows");
      assertTrue(say(words).lines().anyMatch(l -> l.startsWith("──")), command);
    }
  }

  @Test
  void setAsideRowsAreListedByReasonAndComeBackOnce() {
    long run = lastRun("land-ledger");
    for (String reason :
        List.of("too-few-fields", "too-many-fields", "wrong-type", "missing-value")) {
      JsonNode page =
          service.get("/api/v1/runs/%d/set-aside?reason=%s".formatted(run, reason)).body();
      assertEquals(expected.count("ledger." + reason), page.path("total").asLong(), reason);
    }
    // The demo's own correction: a decimal comma, mended.
    JsonNode row =
        service
            .get("/api/v1/runs/%d/set-aside?reason=wrong-type".formatted(run))
            .body()
            .path("rows")
            .valueStream()
            .filter(r -> r.path("original").asString().contains("44,10"))
            .findFirst()
            .orElseThrow();
    String number = row.path("number").asString();
    say(
        "set-aside",
        "correct",
        "" + run,
        number,
        row.path("original").asString().replace("44,10", "44.10"));
    say("set-aside", "replay", "" + run, "--row", number);
    long before = count("select count(*) from raw.rolls");

    say("run", "land-ledger", "--wait");
    say("run", "land-ledger", "--wait");

    assertEquals(before + 1, count("select count(*) from raw.rolls"));
  }
}

package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.sql.Types;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import java.util.function.Consumer;
import java.util.function.Function;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import tools.jackson.databind.JsonNode;

/**
 * Every call that changes something, with the connection lost at each of its moments in turn: the
 * person is told so, and the records and the files are all as before or all as after.
 */
class LostConnectionTest {
  private static TestService service;

  @BeforeAll
  static void start() {
    service = TestService.start(FaultyDatabase.class);
    service.signedIn();
  }

  @AfterAll
  static void stop() {
    service.close();
  }

  /**
   * A change to something named so that nothing else is.
   *
   * @param prepare makes what is to be changed, under a given mark
   * @param call makes the change
   * @param again whether it may be half made, when the same call completes it
   */
  record Change(
      String name,
      Consumer<String> prepare,
      Function<String, TestService.Answer> call,
      boolean again) {
    Change(String name, Consumer<String> prepare, Function<String, TestService.Answer> call) {
      this(name, prepare, call, false);
    }

    @Override
    public String toString() {
      return name;
    }
  }

  private static final String PIPELINE =
      "pipeline: %1$s-in\nschedule: {cron: \"0 3 1 1 *\"}\nsteps:\n  rows: {read: {feed: %1$s}}\n  out: {from: rows, write: {table: raw.%1$s, mode: append}}\n";

  /** A feed with a good file and a bad row, and a pipeline that reads it. */
  private static void declared(String mark) {
    String feed =
        "feed: %s\nfiles: %s/*.csv\ntext: {}\ncolumns: {roll: varchar, metres: int}\nset-aside-limit: {share: 90%%}\n"
            .formatted(mark, mark);
    ok(service.put("/api/v1/feeds/" + mark, Map.of("text", feed)));
    service.put(mark + "/1.csv", "roll,metres\nR1,5\nR2,x\n");
    ok(
        service.put(
            "/api/v1/pipelines/%s-in".formatted(mark), Map.of("text", PIPELINE.formatted(mark))));
  }

  /** The same, with the pipeline run once. */
  private static void landed(String mark) {
    declared(mark);
    read(mark);
    RUNS.put(
        mark,
        service
            .get("/api/v1/runs?pipeline=%s-in".formatted(mark))
            .body()
            .get(0)
            .path("id")
            .asLong());
    SNAPSHOTS.put(
        mark,
        service
            .get("/api/v1/tables/raw." + mark)
            .body()
            .path("snapshots")
            .get(0)
            .path("id")
            .asString());
  }

  private static void read(String mark) {
    JsonNode run =
        ok(post("pipelines/{mark}-in/runs", mark, Map.of("parameters", Map.of()))).body();
    TestService.await(
        mark + " is read",
        Duration.ofSeconds(30),
        () -> service.state(run.path("id").asLong()).equals("succeeded"));
  }

  private static final int MOST_MOMENTS = 200;
  private static final Map<String, Long> RUNS = new HashMap<>();

  private static final Map<String, String> SNAPSHOTS = new HashMap<>();
  private static final Map<String, String> UPLOADS = new HashMap<>();

  /** SHA-256 of no bytes. */
  private static final String NOTHING =
      "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855";

  private static long run(String mark) {
    return RUNS.get(mark);
  }

  private static TestService.Answer ok(TestService.Answer answer) {
    assertTrue(answer.status() < 300, answer.response().body());
    return answer;
  }

  private static TestService.Answer post(String path, String mark, Map<String, ?> body) {
    return service.post("/api/v1/" + path.replace("{mark}", mark), body);
  }

  static Stream<Change> changes() {
    return Stream.of(
        new Change(
            "rename a feed",
            LostConnectionTest::landed,
            m -> post("feeds/{mark}/rename", m, Map.of("name", m + "-next"))),
        new Change(
            "rename a pipeline",
            LostConnectionTest::landed,
            m -> post("pipelines/{mark}-in/rename", m, Map.of("name", m + "-next"))),
        new Change(
            "remove a pipeline",
            LostConnectionTest::declared,
            m -> service.delete("/api/v1/pipelines/%s-in".formatted(m))),
        new Change(
            "restore a pipeline",
            m -> {
              declared(m);
              ok(service.delete("/api/v1/pipelines/%s-in".formatted(m)));
            },
            m -> post("pipelines/{mark}-in/restore", m, Map.of())),
        new Change(
            "pause a feed",
            LostConnectionTest::declared,
            m -> post("feeds/{mark}/pause", m, Map.of("why", "counted"))),
        new Change(
            "put files into quarantine",
            m -> {
              declared(m);
              service.put(m + "/2.csv", "roll,metres\nR3,6\n");
            },
            m ->
                post(
                    "feeds/{mark}/quarantine",
                    m,
                    Map.of("paths", List.of(m + "/1.csv", m + "/2.csv"), "why", "cut"))),
        new Change(
            "give files back",
            m -> {
              declared(m);
              service.put(m + "/2.csv", "roll,metres\nR3,6\n");
              List<String> paths = List.of(m + "/1.csv", m + "/2.csv");
              ok(post("feeds/{mark}/quarantine", m, Map.of("paths", paths, "why", "cut")));
            },
            m ->
                post(
                    "feeds/{mark}/release",
                    m,
                    Map.of("paths", List.of(m + "/1.csv", m + "/2.csv")))),
        new Change(
            "keep a pipeline's next version",
            LostConnectionTest::declared,
            m ->
                service.put(
                    "/api/v1/pipelines/%s-in".formatted(m),
                    Map.of("text", "# again\n" + PIPELINE.formatted(m).replace("0 3", "0 4")))),
        new Change(
            "correct a row",
            LostConnectionTest::landed,
            m ->
                service.put(
                    "/api/v1/runs/%d/set-aside/1".formatted(run(m)), Map.of("text", "R2,7"))),
        new Change(
            "replay a row",
            m -> {
              landed(m);
              ok(
                  service.put(
                      "/api/v1/runs/%d/set-aside/1".formatted(run(m)), Map.of("text", "R2,7")));
            },
            m -> service.post("/api/v1/runs/%d/set-aside/replay".formatted(run(m)), Map.of())),
        new Change(
            "withdraw a replay",
            m -> {
              landed(m);
              ok(
                  service.put(
                      "/api/v1/runs/%d/set-aside/1".formatted(run(m)), Map.of("text", "R2,7")));
              ok(service.post("/api/v1/runs/%d/set-aside/replay".formatted(run(m)), Map.of()));
            },
            m -> service.post("/api/v1/runs/%d/set-aside/withdraw".formatted(run(m)), Map.of())),
        new Change(
            "finish an upload",
            m -> {
              JsonNode begun =
                  ok(post("uploads", m, Map.of("path", m + "/1.csv", "sizeBytes", 0))).body();
              UPLOADS.put(m, begun.path("id").asString());
            },
            m -> post("uploads/%s/finish".formatted(UPLOADS.get(m)), m, Map.of("sha256", NOTHING)),
            true),
        new Change(
            "roll a table back",
            m -> {
              landed(m);
              service.put(m + "/2.csv", "roll,metres\nR3,6\n");
              read(m);
            },
            m -> post("tables/raw.{mark}/roll-back", m, Map.of("snapshot", SNAPSHOTS.get(m)))),
        new Change(
            "drop a table",
            LostConnectionTest::landed,
            m -> service.delete("/api/v1/tables/raw.%s?anyway=true".formatted(m))));
  }

  @ParameterizedTest
  @MethodSource("changes")
  void aChangeIsWholeOrNotMade(Change change) {
    String kind = "k" + Integer.toHexString(change.name().hashCode()).substring(0, 4);
    List<String> told = new ArrayList<>();
    TreeSet<String> states = new TreeSet<>();
    String before = null;
    for (int moment = 1; moment < MOST_MOMENTS; moment++) {
      String mark = kind + "x%03d".formatted(moment);
      change.prepare().accept(mark);
      String prepared = state(mark);
      before = before == null ? prepared : before;
      assertEquals(before, prepared, "the same is prepared each time");

      FaultyDatabase.failAt(moment);
      TestService.Answer answer = change.call().apply(mark);
      boolean done = !FaultyDatabase.came();

      String after = state(mark);
      if (done) {
        ok(answer);
        states.remove(before);
        assertTrue(
            states.isEmpty() || states.equals(new TreeSet<>(List.of(after))),
            "half made: " + told + "\nbefore:\n" + before + "\nafter:\n" + after);
        assertTrue(moment > 2, "no moment was tried");
        return;
      }
      if (answer.status() >= 300) {
        assertEquals(503, answer.status(), moment + ": " + answer.response().body());
        assertEquals("database-away", answer.body().path("code").asString());
        if (change.again() && !after.equals(before)) {
          ok(change.call().apply(mark));
          after = state(mark);
        }
      }
      if (states.add(after) && !after.equals(before)) {
        told.add("\nat moment %d, answered %d:\n%s".formatted(moment, answer.status(), after));
      }
    }
    throw new AssertionError("The call has no end");
  }

  /** All records and files that bear the mark, without what differs by nature. */
  private static String state(String mark) {
    TreeSet<String> out = new TreeSet<>();
    try (Connection c = service.db.connect("yardage");
        Statement tables = c.createStatement();
        ResultSet names = tables.executeQuery("SHOW TABLES")) {
      while (names.next()) {
        String table = names.getString(1);
        try (Statement s = c.createStatement();
            ResultSet rows = s.executeQuery("SELECT * FROM `%s`".formatted(table))) {
          while (rows.next()) {
            String row = row(rows);
            if (row.contains(mark)) {
              out.add(table + " " + row.replace(mark, "MARK"));
            }
          }
        }
      }
    } catch (SQLException e) {
      throw new AssertionError(e);
    }
    try (Stream<Path> files = Files.walk(service.inbox())) {
      files
          .filter(Files::isRegularFile)
          .map(f -> service.inbox().relativize(f).toString())
          .filter(f -> f.contains(mark))
          .map(f -> f.replace(mark, "MARK").replaceAll("[0-9]{2,}", "N"))
          .map(f -> f.replaceAll("run-[0-9]+", "run-N"))
          .forEach(f -> out.add("file " + f));
    } catch (IOException e) {
      throw new AssertionError(e);
    }
    return String.join("\n", out);
  }

  private static String row(ResultSet rows) throws SQLException {
    StringBuilder out = new StringBuilder();
    for (int i = 1; i <= rows.getMetaData().getColumnCount(); i++) {
      if (rows.getMetaData().getColumnName(i).matches("health.*|changes|swept.*")) {
        continue; // The service looks after tables at times of its own.
      }
      int type = rows.getMetaData().getColumnType(i);
      String name = rows.getMetaData().getColumnName(i);
      boolean differs =
          type == Types.TIMESTAMP
              || name.matches(
                  "id|run|.*_id|.*_ms|.*hash|.*bytes|identity|account|location|metadata.*|feed_versions|settings|tallies|owner|message|health.*|.*json|log|modified.*");
      Object value = rows.getObject(i);
      out.append(name)
          .append('=')
          .append(differs ? value == null ? "none" : "some" : value)
          .append(' ');
    }
    return out.toString()
        .replaceAll("run-[0-9]+(-[0-9]+)?", "run-N")
        .replaceAll("\"(sizeBytes|updatedAt)\":[^,]*,", "");
  }
}

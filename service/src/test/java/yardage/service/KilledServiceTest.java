package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.io.OutputStreamWriter;
import java.net.ServerSocket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeTable;
import yardage.core.lake.PointerStore;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.sql.PlanSession;
import yardage.core.storage.LocalStorage;
import yardage.core.task.TaskEndpoints;
import yardage.core.testing.PrivateMariaDb;
import yardage.core.testing.Rows;

/**
 * A service that is killed with SIGKILL at random points of runs loses nothing and doubles nothing.
 */
class KilledServiceTest {
  private static final long SEED = Long.getLong("yardage.seed", 5);
  private static final int KILLS = 5;
  private static final int COMPACTION_KILLS = 3;
  private static final int FILES = 6;
  private static final int ROWS = 150_000;
  private static final int NESTED_FILES = 3;
  private static final int NESTED_ROWS = 40_000;
  private static final String TOKEN = "yt_a-token-for-tests-that-kill";
  private static final Map<String, List<String>> TABLES_OF_FEED =
      Map.of(
          "rolls", List.of("raw.rolls", "raw.rolls_too"),
          "inspections", List.of("raw.inspections"),
          "lots", List.of("raw.lots"),
          "gates", List.of("raw.gates"));

  @TempDir Path home;

  @Test
  void publishesEachFileExactlyOnceHoweverOftenItIsKilled() throws Exception {
    writeFiles();
    SplittableRandom random = new SplittableRandom(SEED);
    try (PrivateMariaDb db = PrivateMariaDb.start()) {
      int port = freePort();
      Process service = start(db, port);
      try {
        insertDocuments(db);
        for (int kill = 0; kill < KILLS; kill++) {
          long run = queue(db);
          TestService.await(
              "run " + run + " starts",
              Duration.ofSeconds(60),
              () -> !state(db, run).equals("queued"));
          LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(random.nextInt(900)));
          service.destroyForcibly().waitFor();
          service = start(db, port);
          TestService.await(
              "run " + run + " is settled",
              Duration.ofSeconds(60),
              () -> !state(db, run).equals("running"));
          assertTrue(Set.of("interrupted", "succeeded").contains(state(db, run)), state(db, run));
          assertConsistent(db, "after kill " + kill + ", seed " + SEED);
        }
        long last = queue(db);
        TestService.await(
            "the last run ends",
            Duration.ofSeconds(120),
            () -> Set.of("succeeded", "failed").contains(state(db, last)));

        assertEquals("succeeded", state(db, last));
        assertEquals(FILES + 3 * NESTED_FILES, number(db, "SELECT COUNT(*) FROM intake"));
        assertConsistent(db, "at the end, seed " + SEED);
        assertEquals((long) FILES * ROWS, table(db, "raw.rolls").rowCount());
        for (String nested : List.of("raw.inspections", "raw.lots", "raw.gates")) {
          assertEquals(NESTED_FILES * (NESTED_ROWS - 1L), table(db, nested).rowCount(), nested);
        }
      } finally {
        service.destroyForcibly().waitFor();
      }
    }
  }

  /** Puts small files together while it is killed again and again: the rows stay what they are. */
  @Test
  void aKilledCompactionLeavesTheTableAsItWasOrPutTogether() throws Exception {
    Path folder = Files.createDirectories(home.resolve("lake/inbox/rolls"));
    SplittableRandom random = new SplittableRandom(SEED);
    try (PrivateMariaDb db = PrivateMariaDb.start()) {
      int port = freePort();
      Process service = start(db, port);
      try {
        insert(
            db,
            "feed",
            "rolls",
            "feed: rolls\nfiles: rolls/*.csv\ntext: {}\ncolumns: {roll: varchar, metres: \"decimal(9, 2)\"}\n");
        insert(
            db,
            "pipeline",
            "land",
            "pipeline: land\nsteps:\n  rolls: {read: {feed: rolls}}\n  keep: {from: rolls, write: {table: raw.rolls, mode: append}}\n");
        giveToken(db);
        for (int f = 0; f < FILES; f++) {
          writeRolls(folder.resolve("rolls-" + f + ".csv"), f, ROWS / 3);
          long run = queue(db);
          TestService.await(
              "run " + run + " ends",
              Duration.ofSeconds(60),
              () -> state(db, run).equals("succeeded"));
        }
        List<List<Object>> rows = rows(db);
        int interrupted = 0;
        for (int kill = 0; kill < COMPACTION_KILLS; kill++) {
          CompletableFuture<Integer> answer = post(port, "/api/v1/tables/raw.rolls/compact", "{}");
          LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(20 + random.nextInt(400)));
          interrupted += answer.isDone() ? 0 : 1;
          service.destroyForcibly().waitFor();
          service = start(db, port);

          int files = table(db, "raw.rolls").files().size();
          assertTrue(files == FILES || files == 1, files + " files, seed " + SEED);
          assertEquals(rows, rows(db), "after kill " + kill);
        }
        int status = post(port, "/api/v1/tables/raw.rolls/compact", "{}").get(60, TimeUnit.SECONDS);
        assertEquals(200, status);
        post(port, "/api/v1/tables/raw.rolls/expire", "{\"keep\": 1, \"keepHours\": 0}")
            .get(60, TimeUnit.SECONDS);

        assertTrue(interrupted > 0, "some kill came in the middle, seed " + SEED);
        assertEquals(1, table(db, "raw.rolls").files().size());
        assertEquals(rows, rows(db));
        try (Stream<Path> data = Files.walk(home.resolve("lake/tables/raw/rolls/data"))) {
          assertEquals(
              1,
              data.filter(Files::isRegularFile).count(),
              "what killed compactions left went with the expiry");
        }
      } finally {
        service.destroyForcibly().waitFor();
      }
    }
  }

  /** How many rows there are, and what tells whether they are the same. */
  private List<List<Object>> rows(PrivateMariaDb db) {
    LakeTable table = table(db, "raw.rolls");
    PlanSession session = new PlanSession();
    PlanSession.Planned planned =
        session.plan(
            session.parseQuery(
                "select count(*), count(distinct roll), sum(metres), min(roll), max(roll) from t",
                1,
                1),
            new PlanSession.Scope(Map.of("t", new TableRelation(table))));
    Executor executor =
        new Executor(
            ExecutionContext.standalone(1L << 29),
            TaskEndpoints.reading(lake(db)),
            step -> new StepTally(step, "sql"));
    return Rows.rows(
        executor.collect(
            session.physical().plan(session.optimize(planned.rel()), "query"), "query"));
  }

  private static void giveToken(PrivateMariaDb db) throws SQLException {
    TestService.await(
        "there is a user",
        Duration.ofSeconds(30),
        () -> number(db, "SELECT COUNT(*) FROM users") == 1);
    try (Connection c = db.connect("yardage");
        var s = c.createStatement()) {
      s.execute("UPDATE users SET one_time = FALSE");
      s.execute(
          "INSERT INTO sign_ins (user_id, kind, name, hash, created_at, expires_at) SELECT MIN(id), 'token', 'test', SHA2('%s', 256), NOW(), NOW() + INTERVAL 1 DAY FROM users"
              .formatted(TOKEN));
    }
  }

  private static CompletableFuture<Integer> post(int port, String path, String body) {
    return HttpClient.newHttpClient()
        .sendAsync(
            HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + path))
                .header("Authorization", "Bearer " + TOKEN)
                .header("Content-Type", "application/json")
                .POST(HttpRequest.BodyPublishers.ofString(body))
                .build(),
            HttpResponse.BodyHandlers.discarding())
        .thenApply(HttpResponse::statusCode);
  }

  /**
   * The tables of each feed hold what the ledger says was taken in of it, and no data file lies
   * about that no table has.
   */
  private void assertConsistent(PrivateMariaDb db, String when) throws Exception {
    Set<Path> known = new java.util.HashSet<>();
    for (String feed : TABLES_OF_FEED.keySet()) {
      long taken =
          number(
              db,
              "SELECT COALESCE(SUM(records - set_aside), 0) FROM intake WHERE feed = '%s'"
                  .formatted(feed));
      for (String name : TABLES_OF_FEED.get(feed)) {
        assertEquals(taken, rows(db, name), "rows of %s, %s".formatted(name, when));
        if (exists(db, name)) {
          table(db, name).files().forEach(f -> known.add(Path.of(f.path())));
        }
      }
    }
    TestService.await(
        "staged files are cleaned up " + when,
        Duration.ofSeconds(30),
        () -> {
          try (Stream<Path> all = Files.walk(home.resolve("lake/tables"))) {
            return all.filter(f -> f.toString().endsWith(".parquet"))
                .collect(Collectors.toSet())
                .equals(known);
          } catch (IOException | java.io.UncheckedIOException e) {
            return false;
          }
        });
  }

  private long rows(PrivateMariaDb db, String table) throws SQLException {
    return exists(db, table) ? table(db, table).rowCount() : 0;
  }

  private boolean exists(PrivateMariaDb db, String table) throws SQLException {
    return number(
            db,
            "SELECT COUNT(*) FROM lake_tables WHERE CONCAT(namespace, '.', name) = '" + table + "'")
        == 1;
  }

  private LakeTable table(PrivateMariaDb db, String name) {
    return lake(db).table(TableName.parse(name)).orElseThrow();
  }

  private Lake lake(PrivateMariaDb db) {
    PointerStore pointers =
        new PointerStore() {
          @Override
          public java.util.Optional<String> metadataLocation(TableName table) {
            return java.util.Optional.of(
                text(
                    db,
                    "SELECT metadata_location FROM lake_tables WHERE namespace = '%s' AND name = '%s'"
                        .formatted(table.namespace(), table.name())));
          }

          @Override
          public List<TableName> tables() {
            return List.of();
          }
        };
    return new Lake(LocalStorage.place(home.resolve("lake")), pointers);
  }

  private static void writeRolls(Path file, int number, int rows) throws IOException {
    try (var out = Files.newBufferedWriter(file)) {
      out.write("roll,metres\n");
      for (int i = 0; i < rows; i++) {
        out.write("R" + (number * rows + i) + "," + i % 100 + ".50\n");
      }
    }
  }

  /** Files of four formats, three of which hold one record each that is set aside. */
  private void writeFiles() throws IOException {
    Path inbox = home.resolve("lake/inbox");
    for (String folder : List.of("rolls", "inspections", "lots", "gates")) {
      Files.createDirectories(inbox.resolve(folder));
    }
    for (int f = 0; f < FILES; f++) {
      writeRolls(inbox.resolve("rolls/rolls-" + f + ".csv"), f, ROWS);
    }
    for (int f = 0; f < NESTED_FILES; f++) {
      try (var json =
              new OutputStreamWriter(
                  new GZIPOutputStream(
                      Files.newOutputStream(inbox.resolve("inspections/" + f + ".jsonl"))));
          var xml = Files.newBufferedWriter(inbox.resolve("lots/" + f + ".xml"));
          var lines = Files.newBufferedWriter(inbox.resolve("gates/" + f + ".log"))) {
        xml.write("<lots>\n");
        for (int i = 0; i < NESTED_ROWS; i++) {
          String tex = i == 100 ? "coarse" : i % 70 + ".5";
          json.write(
              "{\"roll\":\"R%d\",\"defects\":[{\"at\":%s}]}\n"
                  .formatted(f * NESTED_ROWS + i, i == 100 ? "\"far\"" : i));
          xml.write("<lot id=\"Y%d-%d\"><tex>%s</tex></lot>\n".formatted(f, i, tex));
          lines.write(i == 100 ? "garbled\n" : "gate %d in\n".formatted(f + i));
        }
        xml.write("</lots>\n");
      }
    }
  }

  private Process start(PrivateMariaDb db, int port) throws IOException {
    List<String> command =
        new ArrayList<>(
            List.of(
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                "-Xmx1g",
                "-cp",
                System.getProperty(
                    "surefire.test.class.path", System.getProperty("java.class.path")),
                "yardage.service.YardageService"));
    command.addAll(List.of(TestService.arguments(db, home, port)));
    Process process =
        new ProcessBuilder(command)
            .redirectErrorStream(true)
            .redirectOutput(home.resolve("service.out").toFile())
            .start();
    TestService.await(
        "the service starts",
        Duration.ofSeconds(90),
        () -> {
          if (!process.isAlive()) {
            try {
              throw new AssertionError(Files.readString(home.resolve("service.out")));
            } catch (IOException e) {
              throw new AssertionError(e);
            }
          }
          try (var socket = new java.net.Socket("127.0.0.1", port)) {
            return true;
          } catch (IOException e) {
            return false;
          }
        });
    return process;
  }

  private static int freePort() throws IOException {
    try (ServerSocket free = new ServerSocket(0)) {
      return free.getLocalPort();
    }
  }

  private void insertDocuments(PrivateMariaDb db) throws SQLException {
    insert(
        db,
        "feed",
        "rolls",
        "feed: rolls\nfiles: rolls/*.csv\ntext: {header: true}\ncolumns: {roll: varchar, metres: \"decimal(9, 2)\"}\n");
    insert(
        db,
        "feed",
        "inspections",
        "feed: inspections\nfiles: inspections/*\njson: {records: lines}\ncolumns: {roll: varchar, defects: \"list(struct(at int))\"}\n");
    insert(
        db,
        "feed",
        "lots",
        "feed: lots\nfiles: lots/*\nxml: {row: lot}\ncolumns: {id: {type: varchar, from: \"@id\"}, tex: \"decimal(6, 2)\"}\n");
    insert(
        db,
        "feed",
        "gates",
        "feed: gates\nfiles: gates/*\nlines: {pattern: 'gate (?<gate>[0-9]+) (?<way>in|out)'}\ncolumns: {gate: int, way: varchar}\n");
    insert(
        db,
        "pipeline",
        "land",
        """
        pipeline: land
        steps:
          rolls: {read: {feed: rolls}}
          keep: {from: rolls, write: {table: raw.rolls, mode: append}}
          long: {from: rolls, keep: metres > 0}
          keep_too: {from: long, write: {table: raw.rolls_too, mode: append}}
          inspections: {read: {feed: inspections}}
          keep_inspections: {from: inspections, write: {table: raw.inspections, mode: append}}
          lots: {read: {feed: lots}}
          keep_lots: {from: lots, write: {table: raw.lots, mode: append}}
          gates: {read: {feed: gates}}
          keep_gates: {from: gates, write: {table: raw.gates, mode: append}}
        """);
  }

  private static void insert(PrivateMariaDb db, String kind, String name, String text)
      throws SQLException {
    try (Connection c = db.connect("yardage");
        var insert =
            c.prepareStatement("INSERT INTO documents VALUES (?, ?, 1, ?, 'test', NOW())")) {
      insert.setString(1, kind);
      insert.setString(2, name);
      insert.setString(3, text);
      insert.executeUpdate();
    }
  }

  private static long queue(PrivateMariaDb db) throws SQLException {
    try (Connection c = db.connect("yardage");
        var s = c.createStatement()) {
      s.execute(
          """
          INSERT INTO runs (pipeline, document_version, feed_versions, parameters, settings, state, cause, requested_by, requested_at, tallies, set_aside)
          VALUES ('land', 1, '{"rolls": 1, "inspections": 1, "lots": 1, "gates": 1}', '{}', '{}', 'queued', 'request', 'test', NOW(), '[]', '{}')
          """);
      ResultSet id = s.executeQuery("SELECT LAST_INSERT_ID()");
      id.next();
      return id.getLong(1);
    }
  }

  private static String state(PrivateMariaDb db, long run) {
    return text(db, "SELECT state FROM runs WHERE id = " + run);
  }

  private static long number(PrivateMariaDb db, String sql) {
    return Long.parseLong(text(db, sql));
  }

  private static String text(PrivateMariaDb db, String sql) {
    try (Connection c = db.connect("yardage");
        ResultSet rs = c.createStatement().executeQuery(sql)) {
      rs.next();
      return rs.getString(1);
    } catch (SQLException e) {
      throw new AssertionError(e);
    }
  }
}

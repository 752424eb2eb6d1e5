package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.net.ServerSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeTable;
import yardage.core.lake.PointerStore;
import yardage.core.lake.TableName;
import yardage.core.testing.PrivateMariaDb;

/**
 * A service that is killed with SIGKILL at random points of runs loses nothing and doubles nothing.
 */
class KilledServiceTest {
  private static final long SEED = Long.getLong("yardage.seed", 5);
  private static final int KILLS = 5;
  private static final int FILES = 6;
  private static final int ROWS = 250_000;

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
        assertEquals(FILES, number(db, "SELECT COUNT(*) FROM intake"));
        assertConsistent(db, "at the end, seed " + SEED);
        assertEquals((long) FILES * ROWS, table(db, "raw.rolls").rowCount());
      } finally {
        service.destroyForcibly().waitFor();
      }
    }
  }

  /**
   * Both tables of the pipeline hold what the ledger says was taken in, and no data file lies about
   * that no table has.
   */
  private void assertConsistent(PrivateMariaDb db, String when) throws Exception {
    long taken = number(db, "SELECT COALESCE(SUM(records), 0) FROM intake");
    assertEquals(taken, rows(db, "raw.rolls"), "rows of the ledger's files, " + when);
    assertEquals(taken, rows(db, "raw.rolls_too"), "both tables were published together, " + when);
    Set<Path> known = new java.util.HashSet<>();
    for (String name : List.of("raw.rolls", "raw.rolls_too")) {
      if (exists(db, name)) {
        table(db, name).files().forEach(f -> known.add(Path.of(f.path())));
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
    return new Lake(home.resolve("lake"), pointers).table(TableName.parse(name)).orElseThrow();
  }

  private void writeFiles() throws IOException {
    Path folder = home.resolve("lake/inbox/rolls");
    Files.createDirectories(folder);
    for (int f = 0; f < FILES; f++) {
      try (var out = Files.newBufferedWriter(folder.resolve("rolls-" + f + ".csv"))) {
        out.write("roll,metres\n");
        for (int i = 0; i < ROWS; i++) {
          out.write("R" + (f * ROWS + i) + "," + i % 100 + ".50\n");
        }
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
        "pipeline",
        "land",
        """
        pipeline: land
        steps:
          rolls: {read: {feed: rolls}}
          keep: {from: rolls, write: {table: raw.rolls, mode: append}}
          long: {from: rolls, keep: metres > 0}
          keep_too: {from: long, write: {table: raw.rolls_too, mode: append}}
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
          VALUES ('land', 1, '{"rolls": 1}', '{}', '{}', 'queued', 'request', 'test', NOW(), '[]', '{}')
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

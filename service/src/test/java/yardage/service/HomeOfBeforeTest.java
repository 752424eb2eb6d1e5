package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.ResultSet;
import java.sql.Statement;
import java.time.Duration;
import java.util.HashMap;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.atomic.AtomicBoolean;
import org.flywaydb.core.Flyway;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import yardage.core.lake.TableName;
import yardage.core.testing.PrivateMariaDb;
import yardage.core.testing.TestLake;

/** Records and tables as earlier versions left them work on, with what they lacked put right. */
class HomeOfBeforeTest {
  private static final String TOKEN = "yt_made-by-a-version-of-before";
  private static final TableName ROLLS = TableName.parse("raw.rolls");

  @TempDir Path folder;

  private static String one(Connection c, String sql) throws Exception {
    try (Statement s = c.createStatement();
        ResultSet r = s.executeQuery(sql)) {
      return r.next() ? String.valueOf(r.getString(1)) : "nothing";
    }
  }

  @Test
  void tokensGetAnEndAndTablesBehindALinkTheirRealPlace() throws Exception {
    Path real = Files.createDirectories(folder.toRealPath().resolve("home"));
    Path link = Files.createSymbolicLink(folder.toRealPath().resolve("link"), real);
    TestLake lake =
        new TestLake(real.resolve("lake"))
            .declare("feed: rolls\nfiles: rolls/*\ntext: {}\ncolumns: {roll: int, loom: varchar}\n")
            .file("rolls/1.csv", "roll,loom\n1,L1\n2,L2\n");
    lake.run(
        "pipeline: land\nsteps:\n  rolls: {read: {feed: rolls}}\n  keep: {from: rolls, write: {table: raw.rolls}}\n");
    // A version of before kept the paths by which it was started, and gave metadata no number.
    Path numbered = Path.of(lake.metadataLocation(ROLLS).orElseThrow());
    Path before = numbered.resolveSibling("0b5e8b1c-4f6c-4b4d-9a39-2b1d4f7f3c11.metadata.json");
    Files.writeString(before, Files.readString(numbered).replace(real.toString(), link.toString()));
    Files.delete(numbered);
    PrivateMariaDb db = PrivateMariaDb.start();
    Flyway.configure()
        .dataSource(db.url("yardage"), "root", "")
        .locations("classpath:db/migration")
        .target("7")
        .load()
        .migrate();
    try (Connection c = db.connect("yardage");
        Statement s = c.createStatement()) {
      s.execute(
          "INSERT INTO users (name, password_hash, one_time, created_at) VALUES ('admin', 'x', FALSE, NOW())");
      s.execute(
          "INSERT INTO sign_ins (user_id, kind, name, hash, created_at) SELECT id, 'token', 'old', SHA2('%s', 256), NOW() FROM users"
              .formatted(TOKEN));
      s.execute(
          "INSERT INTO lake_tables VALUES ('raw', 'rolls', '%s', NOW())"
              .formatted(before.toString().replace(real.toString(), link.toString())));
      s.execute(
          "INSERT INTO runs (pipeline, document_version, feed_versions, parameters, settings, state, cause, requested_by, requested_at, tallies, set_aside) VALUES ('land', 1, '{}', '{}', '{}', 'succeeded', 'request', 'admin', NOW(), '[{\"step\":\"keep\",\"verb\":\"write\",\"rowsIn\":2,\"rowsOut\":2,\"filesWritten\":1}]', '{}')");
    }

    try (TestService service = TestService.on(db, link)) {
      String[] bearer = {"Authorization", "Bearer " + TOKEN};
      TestService.Answer answer =
          service.send(
              "POST",
              "/api/v1/query",
              Map.of("sql", "SELECT count(*) AS n, sum(roll) AS s FROM raw.rolls"),
              bearer);
      assertEquals("[[2,3]]", answer.body().path("rows").toString(), answer.response().body());
      assertEquals(
          200,
          service
              .send(
                  "POST",
                  "/api/v1/tables/raw.rolls/expire",
                  Map.of("keep", 1, "keepHours", 0),
                  bearer)
              .status());
      assertEquals(
          "[[2]]",
          service
              .send(
                  "POST",
                  "/api/v1/query",
                  Map.of("sql", "SELECT count(*) AS n FROM raw.rolls"),
                  bearer)
              .body()
              .path("rows")
              .toString());
      assertEquals(
          "0",
          service
              .send("GET", "/api/v1/runs/1", null, bearer)
              .body()
              .path("summary")
              .path("warnings")
              .toString());
      assertEquals(
          "2",
          service
              .send("GET", "/api/v1/runs", null, bearer)
              .body()
              .get(0)
              .path("rowsOut")
              .toString(),
          "accounts of before are read");
      try (Connection c = db.connect("yardage")) {
        assertTrue(
            one(c, "SELECT metadata_location FROM lake_tables")
                .startsWith(real.resolve("lake/tables/raw/rolls/metadata/").toString()));
        assertEquals(
            "89",
            one(c, "SELECT DATEDIFF(expires_at, UTC_TIMESTAMP()) - 1 FROM sign_ins"),
            "an old token has 90 days from now");
      }
    }
  }

  @Test
  void whatARunPublishesTogetherIsSeenTogetherAndWritersOfOneTableBothEnd() throws Exception {
    try (TestService service = TestService.start().signedIn()) {
      service.say(
          "feed",
          "apply",
          service.file(
              "keys.yaml",
              "feed: keys\nfiles: keys/*\ntake: all\ntext: {}\ncolumns: {id: int, v: int}\n"));
      StringBuilder rows = new StringBuilder("id,v\n");
      for (int i = 0; i < 20_000; i++) {
        rows.append(i).append(",1\n");
      }
      service.put("keys/1.csv", rows.toString());
      for (String name : new String[] {"north", "south"}) {
        service.say(
            "pipeline",
            "apply",
            service.file(
                name + ".yaml",
                """
                pipeline: %s
                steps:
                  keys: {read: {feed: keys}}
                  both: {from: keys, write: {table: t.both, mode: upsert, key: [id]}}
                  log: {from: keys, write: {table: t.log_%s, mode: append}}
                  again: {from: keys, write: {table: t.again_%s, mode: append}}
                """
                    .formatted(name, name, name)));
      }
      service.say("run", "north", "--wait");
      AtomicBoolean done = new AtomicBoolean();
      CompletableFuture<Map<String, Integer>> readers =
          CompletableFuture.supplyAsync(
              () -> {
                Map<String, Integer> torn = new HashMap<>();
                while (!done.get()) {
                  TestService.Answer a =
                      service.post(
                          "/api/v1/query",
                          Map.of(
                              "sql",
                              "SELECT (SELECT count(*) FROM t.log_north) - (SELECT count(*) FROM t.again_north) AS d"));
                  torn.merge(a.body().path("rows").toString(), 1, Integer::sum);
                }
                return torn;
              });
      for (int i = 0; i < 6; i++) {
        long north = run(service, "north");
        long south = run(service, "south");
        for (long id : new long[] {north, south}) {
          TestService.await(
              "run " + id + " ends",
              Duration.ofSeconds(90),
              () -> !service.state(id).matches("queued|running"));
          assertEquals(
              "succeeded", service.state(id), service.get("/api/v1/runs/" + id).response().body());
        }
      }
      done.set(true);

      Map<String, Integer> seen = readers.get();
      assertEquals(Set.of("[[0]]"), seen.keySet(), seen.toString());
      assertTrue(seen.get("[[0]]") > 20, seen.toString());
      TestService.Answer both =
          service.post("/api/v1/query", Map.of("sql", "SELECT count(*) AS n FROM t.\"both\""));
      assertEquals("[[20000]]", both.body().path("rows").toString(), both.response().body());
      assertEquals(200, service.get("/api/v1/tables/health").status());
    }
  }

  private static long run(TestService service, String pipeline) {
    return service
        .post("/api/v1/pipelines/%s/runs".formatted(pipeline), Map.of("parameters", Map.of()))
        .body()
        .path("id")
        .asLong();
  }
}

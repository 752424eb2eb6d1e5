package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.locks.LockSupport;
import org.junit.jupiter.api.Test;
import tools.jackson.databind.JsonNode;

/**
 * A database that is killed, frozen and cut off while runs are at work: every run ends, nothing is
 * lost or doubled, and what is asked next works.
 */
class DatabaseAwayTest {
  private static final long SEED = Long.getLong("yardage.seed", 11);
  private static final int ROUNDS = Integer.getInteger("yardage.rounds", 12);
  private static final int ROWS = 20_000;
  private static final List<String> PIPELINES = List.of("north", "south");
  private static final Set<String> ENDS = Set.of("succeeded", "failed", "cancelled", "interrupted");

  private final SplittableRandom random = new SplittableRandom(SEED);
  private TestService service;
  private int files;

  private void putFile() {
    StringBuilder rows = new StringBuilder("roll,metres\n");
    for (int i = 0; i < ROWS; i++) {
      rows.append(files * ROWS + i).append(',').append(i % 90).append(".5\n");
    }
    service.put("rolls/%d.csv".formatted(files++), rows.toString());
  }

  private List<Long> ask() {
    List<Long> out = new ArrayList<>();
    for (String pipeline : PIPELINES) {
      TestService.Answer asked =
          service.post(
              "/api/v1/pipelines/%s/runs".formatted(pipeline), Map.of("parameters", Map.of()));
      assertEquals(201, asked.status(), asked.response().body());
      out.add(asked.body().path("summary").path("id").asLong(asked.body().path("id").asLong()));
    }
    return out;
  }

  private String stateOf(long run) {
    TestService.Answer answer = service.get("/api/v1/runs/" + run);
    return answer.status() == 200
        ? answer.body().path("summary").path("state").asString()
        : "not known: " + answer.status();
  }

  private void fault() {
    int kind = random.nextInt(3);
    switch (kind) {
      case 0 -> {
        service.db.kill();
        LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(random.nextInt(2_500)));
        service.db.startAgain();
      }
      case 1 -> {
        service.db.freeze();
        // Now and then for longer than a connection waits for an answer.
        LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(random.nextInt(4_500)));
        service.db.thaw();
      }
      default -> {
        for (int i = 0; i < 5; i++) {
          service.db.cutConnections();
          LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(random.nextInt(100)));
        }
      }
    }
  }

  @Test
  void everyRunEndsAndNothingIsLostOrDoubled() {
    try (TestService started = TestService.start()) {
      service = started.signedIn();
      service.say(
          "feed",
          "apply",
          service.file(
              "rolls.yaml",
              "feed: rolls\nfiles: rolls/*.csv\ntext: {}\ncolumns: {roll: int, metres: \"decimal(9, 1)\"}\n"));
      for (String pipeline : PIPELINES) {
        service.say(
            "pipeline",
            "apply",
            service.file(
                pipeline + ".yaml",
                """
                pipeline: %1$s
                steps:
                  rolls: {read: {feed: rolls}}
                  keep: {from: rolls, write: {table: raw.%1$s, mode: append}}
                  again: {from: rolls, write: {table: raw.%1$s_again, mode: append}}
                """
                    .formatted(pipeline)));
      }
      Map<String, Integer> ends = new TreeMap<>();
      for (int round = 0; round < ROUNDS; round++) {
        putFile();
        List<Long> runs = ask();
        LockSupport.parkNanos(TimeUnit.MILLISECONDS.toNanos(random.nextInt(500)));
        fault();
        for (long run : runs) {
          TestService.await(
              "run %d ends, round %d, seed %d".formatted(run, round, SEED),
              Duration.ofSeconds(60),
              () -> ENDS.contains(stateOf(run)));
          ends.merge(stateOf(run), 1, Integer::sum);
        }
        assertSound("round %d, seed %d, %s".formatted(round, SEED, ends));
      }
      for (long run : ask()) {
        TestService.await(
            "the last runs end", Duration.ofSeconds(60), () -> ENDS.contains(stateOf(run)));
        assertEquals("succeeded", stateOf(run));
      }

      assertSound("at the end");
      for (String pipeline : PIPELINES) {
        assertEquals((long) files * ROWS, rows("raw." + pipeline), pipeline);
      }
      assertTrue(ends.getOrDefault("succeeded", 0) > 0, ends.toString());
      JsonNode running = service.get("/api/v1/runs?state=running").body();
      assertEquals(0, running.size(), running.toString());
    }
  }

  /** Both tables of a pipeline hold what its ledger says was taken in. */
  private void assertSound(String when) {
    for (String pipeline : PIPELINES) {
      long taken;
      try (var c = service.db.connect("yardage");
          var s = c.createStatement();
          var r =
              s.executeQuery(
                  "SELECT COALESCE(SUM(records), 0) FROM intake WHERE pipeline = '%s'"
                      .formatted(pipeline))) {
        r.next();
        taken = r.getLong(1);
      } catch (java.sql.SQLException e) {
        throw new AssertionError(when, e);
      }
      assertEquals(taken, rows("raw." + pipeline), when);
      assertEquals(taken, rows("raw." + pipeline + "_again"), when);
    }
  }

  private long rows(String table) {
    TestService.Answer[] answer = new TestService.Answer[1];
    TestService.await(
        "a query is answered",
        Duration.ofSeconds(60),
        () -> {
          answer[0] =
              service.post("/api/v1/query", Map.of("sql", "SELECT count(*) AS n FROM " + table));
          return answer[0].status() == 200 || answer[0].status() == 422;
        });
    // No table yet counts as no rows; a table that cannot be read is no 422.
    return answer[0].status() == 422 ? 0 : answer[0].body().path("rows").get(0).get(0).asLong();
  }
}

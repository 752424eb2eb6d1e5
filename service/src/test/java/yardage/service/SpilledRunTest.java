package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;
import yardage.core.testing.PrivateMariaDb;

/** A service whose runs have little memory: what goes to disk is told, and nothing of it stays. */
class SpilledRunTest {
  private static final int ROWS = 400_000;

  @Test
  void aRunBeyondItsMemoryPublishesAndTellsWhatWentToDisk(@TempDir Path home) throws IOException {
    Files.writeString(home.resolve("settings.yml"), "yardage: {run-memory: 14000000}\n");
    try (TestService service = TestService.on(PrivateMariaDb.start(), home).signedIn()) {
      service.say(
          "feed",
          "apply",
          service.file(
              "rolls.yaml",
              "feed: rolls\nfiles: r/*\ntext: {}\ncolumns: {roll: varchar, n: int}\n"));
      service.say(
          "pipeline",
          "apply",
          service.file(
              "land.yaml",
              """
              pipeline: land
              steps:
                rolls: {read: {feed: rolls}}
                once: {from: rolls, dedupe: {by: [roll], keep: last, order: [n]}}
                keep: {from: once, write: {table: raw.rolls}}
              """));
      StringBuilder rows = new StringBuilder("roll,n\n");
      for (int i = 0; i < ROWS; i++) {
        rows.append(Long.toHexString(i % (ROWS / 2) * 0x9E3779B97F4A7C15L)).append(',');
        rows.append(i).append('\n');
      }
      service.put("r/1.csv", rows.toString());

      String told = service.say("run", "land", "--wait");
      JsonNode run = service.get("/api/v1/runs/1").body();
      TestService.Answer asked =
          service.post(
              "/api/v1/query",
              Map.of(
                  "sql",
                  "select min(n), count(*), max(place) from (select n, row_number() over (partition by roll order by n) as place from raw.rolls)"));

      assertTrue(told.contains("to disk"), told);
      assertTrue(run.path("spilledBytes").asLong() > 1_000_000, run.toString());
      assertEquals(
          run.path("spilledBytes").asLong(),
          run.path("steps").get(1).path("tally").path("spilledBytes").asLong(),
          "all of it is the dedupe's");
      assertEquals(
          "[[%d,%d,1]]".formatted(ROWS / 2, ROWS / 2),
          asked.body().path("rows").toString(),
          asked.response().body());
      try (Stream<Path> files = Files.walk(home.resolve("scratch"))) {
        assertEquals(0, files.filter(Files::isRegularFile).count());
      }
    }
  }
}

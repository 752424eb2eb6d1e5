package yardage.service;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.time.Duration;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import tools.jackson.databind.JsonNode;

/**
 * A disk that takes no more: here, a limit on the size of a file, which the system sets on this
 * process and lifts again. Who asked is told so, nothing half written stays, and the same works
 * once there is room.
 */
class FullDiskTest {
  private static final int LIMIT_BYTES = 400_000;
  private static final int ROWS = 120_000;
  private static TestService service;

  @BeforeAll
  static void start() {
    service = TestService.start().signedIn();
  }

  @AfterAll
  static void stop() {
    service.close();
  }

  private static void limit(String bytes) {
    try {
      Process p =
          new ProcessBuilder(
                  "prlimit",
                  "--pid=" + ProcessHandle.current().pid(),
                  "--fsize=%s:unlimited".formatted(bytes))
              .redirectErrorStream(true)
              .start();
      String said = new String(p.getInputStream().readAllBytes());
      assertEquals(0, p.waitFor(), said);
    } catch (IOException | InterruptedException e) {
      throw new AssertionError(e);
    }
  }

  private static void full() {
    limit("" + LIMIT_BYTES);
  }

  @AfterEach
  void room() {
    limit("unlimited");
  }

  /**
   * @param bad the share of rows that do not fit, in rows of a thousand
   */
  private static void pipeline(String name, int bad) {
    service.say(
        "feed",
        "apply",
        service.file(
            name + ".yaml",
            "feed: %s\nfiles: %s/*.csv\ntext: {}\ncolumns: {roll: varchar, metres: int}\nset-aside-limit: {share: 100%%}\n"
                .formatted(name, name)));
    service.say(
        "pipeline",
        "apply",
        service.file(
            name + "-p.yaml",
            "pipeline: %s-in\nsteps:\n  rows: {read: {feed: %s}}\n  out: {from: rows, write: {table: raw.%s, mode: append}}\n  few: {from: rows, keep: metres = 7}\n  out_few: {from: few, write: {table: raw.%s_few, mode: append}}\n"
                .formatted(name, name, name, name)));
    SplittableRandom random = new SplittableRandom(4);
    StringBuilder rows = new StringBuilder("roll,metres\n");
    for (int i = 0; i < ROWS; i++) {
      rows.append(Long.toHexString(random.nextLong())).append(',');
      rows.append(random.nextInt(1000) < bad ? "many" : "" + random.nextInt(90)).append('\n');
    }
    service.put(name + "/1.csv", rows.toString());
  }

  private static JsonNode run(String name) {
    service.client("run", name + "-in", "--wait");
    return service.get("/api/v1/runs?pipeline=%s-in".formatted(name)).body().get(0);
  }

  private static long files(String below) {
    Path folder = service.home.resolve(below);
    try (Stream<Path> all = Files.exists(folder) ? Files.walk(folder) : Stream.empty()) {
      return all.filter(Files::isRegularFile).count();
    } catch (IOException e) {
      throw new AssertionError(e);
    }
  }

  private void failsAndWorksLater(String name, int fitting) {
    full();
    JsonNode failed = run(name);
    room();

    assertEquals("failed", failed.path("state").asString());
    assertEquals("storage", failed.path("failure").path("code").asString(), failed.toString());
    String message = failed.path("failure").path("message").asString();
    assertTrue(message.startsWith("The disk is full: "), message);
    assertTrue(message.endsWith("; free some space, then run again"), message);
    TestService.await(
        "what was staged is removed",
        Duration.ofSeconds(60),
        () -> files("lake/tables/raw/" + name) + files("lake/tables/raw/" + name + "_few") == 0);
    assertEquals(0, files("scratch"));
    assertEquals(
        "new",
        service.get("/api/v1/feeds/" + name).body().path("files").get(0).path("fate").asString());

    assertEquals("succeeded", run(name).path("state").asString());
    JsonNode rows =
        service
            .post("/api/v1/query", Map.of("sql", "select count(*) from raw." + name))
            .body()
            .path("rows");
    assertEquals("[[%d]]".formatted(fitting), rows.toString());
  }

  @Test
  void aRunThatCannotWriteItsTablePublishesNothing() {
    pipeline("rolls", 0);
    failsAndWorksLater("rolls", ROWS);
  }

  @Test
  void aRunThatCannotKeepItsSetAsideRowsPublishesNothing() {
    pipeline("wrong", 1000);
    failsAndWorksLater("wrong", 0);
  }

  private static HttpResponse<String> send(String id, long offset, byte[] bytes) throws Exception {
    return HttpClient.newHttpClient()
        .send(
            HttpRequest.newBuilder(
                    URI.create(
                        service.server + "/api/v1/uploads/%s?offset=%d".formatted(id, offset)))
                .header("Authorization", "Bearer " + service.token)
                .header("Content-Type", "application/octet-stream")
                .PUT(HttpRequest.BodyPublishers.ofByteArray(bytes))
                .build(),
            HttpResponse.BodyHandlers.ofString());
  }

  @Test
  void anUploadGoesOnFromWhereTheDiskWasFull() throws Exception {
    byte[] bytes = new byte[3 * LIMIT_BYTES];
    new java.util.Random(3).nextBytes(bytes);
    String id =
        service
            .post("/api/v1/uploads", Map.of("path", "sent/1.bin", "sizeBytes", bytes.length))
            .body()
            .path("id")
            .asString();

    full();
    HttpResponse<String> refused = send(id, 0, bytes);
    room();
    long arrived = service.get("/api/v1/uploads/" + id).body().path("arrived").asLong();
    byte[] rest = java.util.Arrays.copyOfRange(bytes, (int) arrived, bytes.length);
    HttpResponse<String> taken = send(id, arrived, rest);
    TestService.Answer finished =
        service.post(
            "/api/v1/uploads/%s/finish".formatted(id),
            Map.of(
                "sha256",
                HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(bytes))));

    assertEquals(507, refused.statusCode(), refused.body());
    assertTrue(refused.body().contains("\"disk-full\""), refused.body());
    assertTrue(arrived > 0 && arrived <= LIMIT_BYTES, "arrived: " + arrived);
    assertEquals(200, taken.statusCode(), taken.body());
    assertEquals(200, finished.status(), finished.response().body());
    assertArrayEquals(bytes, Files.readAllBytes(service.inbox().resolve("sent/1.bin")));
  }

  @Test
  void anExportThatDoesNotFitLeavesNoFile() {
    pipeline("sold", 0);
    assertEquals("succeeded", run("sold").path("state").asString());
    Path out = service.home.resolve("sold.csv");

    full();
    TestService.Said said = service.client("export", "raw.sold", "-o", out.toString());
    room();

    assertEquals(1, said.code(), said.out());
    assertTrue(said.err().contains("is the disk full?"), said.err());
    assertFalse(Files.exists(out), "half a file");
    assertEquals(List.of(), leftBeside(out));
    service.say("export", "raw.sold", "-o", out.toString());
    assertEquals(ROWS + 1, lines(out));
  }

  private static List<String> leftBeside(Path file) {
    try (Stream<Path> all = Files.list(file.getParent())) {
      return all.map(f -> f.getFileName().toString())
          .filter(f -> f.startsWith(file.getFileName().toString()))
          .toList();
    } catch (IOException e) {
      throw new AssertionError(e);
    }
  }

  private static long lines(Path file) {
    try (Stream<String> lines = Files.lines(file)) {
      return lines.count();
    } catch (IOException e) {
      throw new AssertionError(e);
    }
  }
}

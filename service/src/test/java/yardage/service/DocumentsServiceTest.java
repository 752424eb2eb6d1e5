package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tools.jackson.databind.JsonNode;

/**
 * Pipelines and feeds as documents that live long: renamed, paused, removed, checked together; and
 * files that are taken out of their way. Each test has documents of its own.
 */
class DocumentsServiceTest {
  private static TestService service;

  @BeforeAll
  static void start() {
    service = TestService.start();
    service.signedIn();
  }

  @AfterAll
  static void stop() {
    service.close();
  }

  private static void feed(String name, String more) {
    service.say(
        "feed",
        "apply",
        service.file(
            name + ".yaml",
            "feed: %s # kept\nfiles: %s/*.csv\ntext: {}\ncolumns: {roll: varchar, metres: int}\n%s"
                .formatted(name, name, more)));
  }

  private static String text(String name, String reads, String table) {
    return "pipeline: %s\nsteps:\n  rows: {read: {%s}} # the rows\n  out: {from: rows, write: {table: %s, mode: append}}\n"
        .formatted(name, reads, table);
  }

  private static String pipeline(String name, String reads, String table) {
    return service.file(name + "-p.yaml", text(name, reads, table));
  }

  private static String rows(String table) {
    return service
        .post("/api/v1/query", Map.of("sql", "select sum(metres) from " + table))
        .body()
        .path("rows")
        .toString();
  }

  private static void copyOf(String feed, String file, String text) {
    service.put(feed + "/" + file, text);
  }

  @Test
  void aRenamedFeedIsReadOnAndNothingTwice() throws Exception {
    feed("bales", "set-aside-limit: {share: 90%}\n");
    service.say("pipeline", "apply", pipeline("take-bales", "feed: bales", "raw.bales"));
    copyOf("bales", "1.csv", "roll,metres\nR1,5\nR2,x\n");
    service.say("run", "take-bales", "--wait");
    long run = service.get("/api/v1/runs?pipeline=take-bales").body().get(0).path("id").asLong();
    service.say("set-aside", "correct", "" + run, "1", "R2,7");
    service.say("set-aside", "replay", "" + run, "--row", "1");
    service.say("run", "take-bales", "--wait");
    assertEquals("[[12]]", rows("raw.bales"));

    feed("wefts", "");
    TestService.Said taken = service.client("feed", "rename", "bales", "wefts");
    assertTrue(taken.err().contains("[wefts] is taken by another feed"), taken.err());
    assertFalse(Files.exists(service.inbox().resolve(".replays/wefts")), "rows of another feed");
    String said = service.say("feed", "rename", "bales", "bale-list");
    service.say("run", "take-bales", "--wait");

    assertTrue(said.contains("also in take-bales"), said);
    assertEquals("[[12]]", rows("raw.bales"), "neither files nor replayed rows come again");
    copyOf("bales", "2.csv", "roll,metres\nR3,100\n");
    service.say("run", "take-bales", "--wait");
    assertEquals("[[112]]", rows("raw.bales"));
    String text = service.say("pipeline", "show", "take-bales");
    assertTrue(text.contains("{read: {feed: bale-list}} # the rows"), text);
    assertTrue(service.say("feed", "show", "bale-list").startsWith("feed: bale-list # kept"));
    JsonNode files = service.get("/api/v1/feeds/bale-list").body().path("files");
    assertEquals("taken", files.get(0).path("fate").asString());
    // What was set aside under the old name is still corrected, and the old name leads on.
    assertEquals(
        "replayed",
        service.get("/api/v1/runs/%d/set-aside/1".formatted(run)).body().path("state").asString());
    TestService.Said old = service.client("feed", "show", "bales");
    assertTrue(old.err().contains("[bales] is called [bale-list] now"), old.err());
    assertFalse(Files.exists(service.inbox().resolve(".replays/bales")));
    service.say("feed", "rename", "bale-list", "bales");
    service.say("run", "take-bales", "--wait");
    assertEquals("[[112]]", rows("raw.bales"));
  }

  @Test
  void aRenamedPipelineKeepsItsRunsAndWhatItHasTakenIn() {
    feed("reels", "");
    copyOf("reels", "1.csv", "roll,metres\nR1,5\n");
    service.say("pipeline", "apply", pipeline("reels-in", "feed: reels", "raw.reels"));
    service.say("run", "reels-in", "--wait");

    service.say("pipeline", "rename", "reels-in", "reels-of-all");
    service.say("run", "reels-of-all", "--wait");

    assertEquals("[[5]]", rows("raw.reels"));
    assertEquals(2, service.get("/api/v1/runs?pipeline=reels-of-all").body().size());
    assertEquals(404, service.get("/api/v1/runs?pipeline=reels-in").status());
    TestService.Answer taken =
        service.put(
            "/api/v1/pipelines/reels-in", Map.of("text", text("reels-in", "feed: reels", "raw.x")));
    assertEquals(409, taken.status());
    TestService.Answer wrong =
        service.post("/api/v1/pipelines/reels-of-all/rename", Map.of("name", "Not: a name"));
    assertEquals(422, wrong.status());
  }

  @Test
  void whatIsRemovedIsInNoListAndComesBackAsItWas() {
    feed("bolts", "");
    copyOf("bolts", "1.csv", "roll,metres\nR1,5\n");
    service.say("pipeline", "apply", pipeline("bolts-in", "feed: bolts", "raw.bolts"));
    service.say("run", "bolts-in", "--wait");

    TestService.Said used = service.client("feed", "remove", "bolts");
    service.say("pipeline", "remove", "bolts-in");
    TestService.Said gone = service.client("run", "bolts-in");
    service.say("feed", "remove", "bolts");
    String removed = service.say("pipeline", "list", "--removed", "-o", "csv");
    service.say("feed", "restore", "bolts");
    service.say("pipeline", "restore", "bolts-in");
    service.say("run", "bolts-in", "--wait");

    assertEquals(1, used.code());
    assertTrue(used.err().contains("is read by bolts-in"), used.err());
    assertEquals(1, gone.code());
    assertTrue(removed.contains("bolts-in,"), removed);
    assertEquals("[[5]]", rows("raw.bolts"), "its files are not taken in again");
    assertEquals(
        1,
        service.get("/api/v1/pipelines/bolts-in").body().path("summary").path("version").asInt());
    assertEquals(404, service.post("/api/v1/pipelines/never/restore", Map.of()).status());
  }

  @Test
  void aPausedFeedHoldsThePipelinesThatReadIt() {
    feed("spools", "");
    copyOf("spools", "1.csv", "roll,metres\nR1,5\n");
    service.say("pipeline", "apply", pipeline("spools-in", "feed: spools", "raw.spools"));

    TestService.Said wordy = service.client("feed", "pause", "spools", "--why", "w".repeat(501));
    assertTrue(wordy.err().contains("The reason has 501 characters; at most 500"), wordy.err());
    service.say("feed", "pause", "spools", "--why", "counted anew");
    TestService.Said held = service.client("run", "spools-in");
    String list = service.say("pipeline", "list");
    service.say("feed", "resume", "spools");
    service.say("pipeline", "pause", "spools-in");
    TestService.Said byHand = service.client("run", "spools-in", "--wait");

    assertEquals(1, held.code());
    assertTrue(held.err().contains("feed spools is paused by admin"), held.err());
    assertTrue(held.err().contains("counted anew"), held.err());
    assertTrue(list.contains("paused"), list);
    assertEquals(0, byHand.code(), byHand.err());
  }

  @Test
  void pipelinesAreCheckedTogetherAndKeptInAnyOrder() {
    feed("skeins", "");
    copyOf("skeins", "1.csv", "roll,metres\nR1,5\n");
    String reader = pipeline("skeins-out", "table: raw.skeins", "mart.skeins");
    String writer = pipeline("skeins-in", "feed: skeins", "raw.skeins");

    TestService.Said alone = service.client("pipeline", "check", reader);
    TestService.Said together = service.client("pipeline", "check", reader, writer);
    TestService.Said kept = service.client("pipeline", "apply", reader, writer);
    TestService.Said early = service.client("run", "skeins-out");
    service.say("run", "skeins-in", "--wait");
    service.say("run", "skeins-out", "--wait");

    assertEquals(1, alone.code());
    assertEquals(0, together.code(), together.out());
    assertTrue(together.out().contains("its columns are taken from pipeline [skeins-in]"));
    assertEquals(0, kept.code(), kept.err());
    assertEquals(1, early.code());
    assertTrue(early.err().contains("Run [skeins-in] first"), early.err());
    assertEquals("[[5]]", rows("mart.skeins"));
  }

  private static void cutGzip(String path) throws Exception {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (GZIPOutputStream gzip = new GZIPOutputStream(bytes)) {
      gzip.write("roll,metres\nR9,9\n".repeat(50).getBytes(StandardCharsets.UTF_8));
    }
    Files.write(
        service.inbox().resolve(path), Arrays.copyOf(bytes.toByteArray(), bytes.size() - 12));
  }

  /** Damaged to its end, or full of what does not fit: one file stops nothing for ever. */
  @ParameterizedTest
  @CsvSource({"cones, false", "hanks, true"})
  void aFileThatStopsAFeedGoesIntoQuarantineAndComesBack(String feed, boolean byItself)
      throws Exception {
    feed(feed, byItself ? "damaged-files: quarantine\n" : "");
    service.say("pipeline", "apply", pipeline(feed + "-in", "feed: " + feed, "raw." + feed));
    copyOf(feed, "1.csv", "roll,metres\nR1,5\n");
    copyOf(feed, "2.csv", "roll,metres\nR2,x\nR3,y\n");
    cutGzip(feed + "/3.csv");

    TestService.Said first = service.client("run", feed + "-in", "--wait");
    if (!byItself) {
      assertEquals(1, first.code());
      assertTrue(first.err().contains("yardage feed quarantine " + feed), first.err());
      JsonNode file =
          service
              .get("/api/v1/runs?pipeline=%s-in".formatted(feed))
              .body()
              .get(0)
              .path("failure")
              .path("file");
      assertEquals(feed, file.path("feed").asString());
      service.say("feed", "quarantine", feed, feed + "/2.csv", feed + "/3.csv", "--why", "cut off");
      first = service.client("run", feed + "-in", "--wait");
    }
    String files = service.say("feed", "files", feed, "-o", "csv");
    String asked = service.say("query", "select sum(metres) as m from feed." + feed, "-o", "csv");

    assertEquals(0, first.code(), first.err());
    assertTrue(first.out().contains("is in quarantine and is not read"), first.out());
    assertEquals("[[5]]", rows("raw." + feed));
    assertTrue(files.contains(feed + "/2.csv,22,quarantine"), files);
    assertTrue(asked.contains("5"), asked);

    // Put right under the same name, it is read without a word; given back as it is, it stops
    // again.
    if (!byItself) {
      copyOf(feed, "4.csv", "another,kind\n1,2\n");
      TestService.Said changed = service.client("run", feed + "-in", "--wait");
      assertTrue(changed.err().contains("yardage feed quarantine " + feed), changed.err());
      service.say("feed", "quarantine", feed, feed + "/4.csv");
    }
    copyOf(feed, "2.csv", "roll,metres\nR2,20\nR3,30\n");
    service.say("run", feed + "-in", "--wait");
    assertEquals("[[55]]", rows("raw." + feed));
    if (!byItself) {
      service.say("feed", "release", feed, feed + "/3.csv");
      assertEquals(1, service.client("run", feed + "-in", "--wait").code());
    }
    assertEquals(
        404,
        service
            .post("/api/v1/feeds/%s/release".formatted(feed), Map.of("paths", List.of("no.csv")))
            .status());
  }
}

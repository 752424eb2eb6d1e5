package yardage.service;

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
import java.nio.file.attribute.FileTime;
import java.security.MessageDigest;
import java.time.Instant;
import java.util.HashSet;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import tools.jackson.databind.JsonNode;

/** What feeds can do, through the client and the HTTP interface. Each test has feeds of its own. */
class FeedsServiceTest {
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

  private static void apply(String name, String feed) {
    TestService.Said said = service.client("feed", "apply", service.file(name + ".yaml", feed));
    assertEquals(0, said.code(), said.err());
  }

  private static void applyPipeline(String name, String write) {
    TestService.Said said =
        service.client(
            "pipeline",
            "apply",
            service.file(
                name + "-p.yaml",
                "pipeline: %1$s\nsteps:\n  rows: {read: {feed: %1$s}}\n  out: {from: rows, write: {table: raw.%1$s, %2$s}}\n"
                    .formatted(name, write)));
    assertEquals(0, said.code(), said.err());
  }

  private static long run(String name) {
    TestService.Said ran = service.client("run", name, "--wait");
    assertEquals(0, ran.code(), ran.out() + ran.err());
    return lastRun(name);
  }

  private static long lastRun(String pipeline) {
    return service
        .get("/api/v1/runs?limit=1&pipeline=" + pipeline)
        .body()
        .get(0)
        .path("id")
        .asLong();
  }

  private static String rows(String sql) {
    TestService.Answer answer = service.post("/api/v1/query", Map.of("sql", sql));
    assertEquals(200, answer.status(), answer.body().toString());
    return answer.body().path("rows").toString();
  }

  @Test
  void setAsideRowsAreCorrectedAndReplayedOnce() {
    apply(
        "cut",
        "feed: cut\nfiles: cut/*.csv\ntext: {}\ncolumns: {roll: varchar, metres: int}\nset-aside-limit: {share: 90%}\n");
    applyPipeline("cut", "mode: append");
    service.put("cut/1.csv", "metres,roll\n5,R1\nsix,R2\nx,R3,y\n=1+1,R4\n");
    long run = run("cut");
    String path = "/api/v1/runs/%d/set-aside".formatted(run);

    JsonNode page = service.get(path + "?reason=wrong-type").body();
    long six = page.path("rows").get(0).path("number").asLong();
    JsonNode wrong = service.post(path + "/" + six + "/check", Map.of("text", "6,R2,z")).body();
    TestService.Answer refused = service.put(path + "/" + six, Map.of("text", "seven,R2"));
    TestService.Said corrected = service.client("set-aside", "correct", "" + run, "" + six, "6,R2");
    TestService.Said replayed = service.client("set-aside", "replay", "" + run, "--row", "" + six);
    TestService.Said again = service.client("set-aside", "replay", "" + run, "--row", "" + six);
    run("cut");
    run("cut");

    assertEquals(2, page.path("total").asLong());
    assertFalse(wrong.path("fits").asBoolean());
    assertEquals("too-many-fields", wrong.path("failures").get(0).path("reason").asString());
    assertEquals(422, refused.status());
    assertEquals(0, corrected.code(), corrected.err());
    assertTrue(replayed.out().contains("1 row will be taken in"), replayed.out());
    assertTrue(again.out().contains("1 were replayed before"), again.out());
    assertEquals("[[\"R1\",5],[\"R2\",6]]", rows("select roll, metres from raw.cut order by roll"));
    assertEquals("replayed", service.get(path + "/" + six).body().path("state").asString());
    TestService.Said csv = service.client("set-aside", "export", "" + run, "--format", "csv");
    assertTrue(csv.out().contains("\"'=1+1,R4\""), csv.out());
    assertEquals(404, service.get(path + "/999").status());
  }

  /** A row that is read again in every run is still replayed once. */
  @Test
  void aRowSetAsideBySeveralRunsIsReplayedOnce() {
    apply(
        "whole",
        "feed: whole\nfiles: whole/*.csv\ntake: all\ntext: {}\ncolumns: {n: int}\nset-aside-limit: {share: 90%}\n");
    applyPipeline("whole", "mode: replace");
    service.put("whole/1.csv", "n\n1\ntwo\n");
    long first = run("whole");
    long second = run("whole");

    service.put("/api/v1/runs/%d/set-aside/1".formatted(first), Map.of("text", "2"));
    JsonNode one =
        service.post("/api/v1/runs/%d/set-aside/replay".formatted(first), Map.of()).body();
    JsonNode two =
        service.post("/api/v1/runs/%d/set-aside/replay".formatted(second), Map.of()).body();
    run("whole");

    assertEquals(1, one.path("replayed").asLong());
    assertEquals(0, two.path("replayed").asLong());
    assertEquals(1, two.path("before").asLong());
    assertEquals("[[1],[2]]", rows("select n from raw.whole order by n"));
  }

  @Test
  void whatIsWithdrawnIsAsItWas() {
    apply(
        "back",
        "feed: back\nfiles: back/*.csv\ntext: {}\ncolumns: {n: int}\nset-aside-limit: {share: 90%}\n");
    applyPipeline("back", "mode: append");
    service.put("back/1.csv", "n\n1\ntwo\nthree\n");
    long run = run("back");
    String path = "/api/v1/runs/%d/set-aside".formatted(run);
    service.put(path + "/1", Map.of("text", "22"));
    service.put(path + "/2", Map.of("text", "33"));
    service.client("set-aside", "replay", "" + run, "--row", "1");

    TestService.Said none = service.client("set-aside", "withdraw", "" + run, "--row", "99");
    TestService.Said both = service.client("set-aside", "withdraw", "" + run);
    TestService.Said again = service.client("set-aside", "withdraw", "" + run);
    run("back");
    service.put(path + "/1", Map.of("text", "222"));
    service.client("set-aside", "replay", "" + run, "--row", "1");
    run("back");
    TestService.Said late = service.client("set-aside", "withdraw", "" + run, "--row", "1");

    assertEquals(List.of(1, 0, 1, 1), List.of(none.code(), both.code(), again.code(), late.code()));
    assertEquals("[[1],[222]]", rows("select n from raw.back order by n"));
  }

  @Test
  void aFeedAskedInPlaceTellsOfRowsThatDoNotFit() throws Exception {
    apply("place", "feed: place\nfiles: place/*.csv\ntext: {}\ncolumns: {n: int}\n");
    service.put("place/1.csv", "n\n1\ntwo\nthree\n4\n");
    String sql = "SELECT n FROM feed.place ORDER BY n";

    TestService.Answer asked = service.post("/api/v1/query", Map.of("sql", sql));
    TestService.Said said = service.client("query", sql);
    Set<String> notes = new HashSet<>();
    for (String ending : List.of("csv", "jsonl", "parquet")) {
      Path file = service.home.resolve("place." + ending);
      TestService.Said exported = service.client("export", "--sql", sql, "-o", file.toString());
      assertTrue(exported.err().contains(": 2 rows, "), exported.toString());
      notes.addAll(exported.err().lines().filter(l -> l.startsWith("Note: ")).toList());
    }

    assertEquals("[[1],[4]]", asked.body().path("rows").toString());
    String note = "Note: " + asked.body().path("notes").get(0).asString();
    assertTrue(note.contains("2 rows"), note);
    assertTrue((said.out() + said.err()).contains(note), said.toString());
    assertEquals(Set.of(note), notes);
    assertEquals(404, service.get("/api/v1/exports/no-such-export").status());
  }

  @Test
  void rowsOfARunThatFailedAreNotReplayed() {
    apply("failed", "feed: failed\nfiles: failed/*.csv\ntext: {}\ncolumns: {n: int}\n");
    applyPipeline("failed", "mode: append");
    service.put("failed/1.csv", "n\nx\n");
    assertEquals(1, service.client("run", "failed", "--wait").code());

    TestService.Answer answer =
        service.post("/api/v1/runs/%d/set-aside/replay".formatted(lastRun("failed")), Map.of());

    assertEquals(409, answer.status());
    assertEquals("not-published", answer.body().path("code").asString());
  }

  @Test
  void aChangeStopsTheRunAndOneCommandAcceptsIt() {
    apply(
        "changing", "feed: changing\nfiles: changing/*.csv\ntext: {}\ncolumns: {roll: varchar}\n");
    applyPipeline("changing", "columns: follow");
    service.put("changing/1.csv", "roll\nR1\n");
    run("changing");
    service.put("changing/2.csv", "roll,metres\nR2,7\n");

    TestService.Said stopped = service.client("run", "changing", "--wait");
    TestService.Said changes = service.client("feed", "changes", "changing");
    TestService.Said accepted = service.client("feed", "accept", "changing");
    run("changing");
    TestService.Said nothing = service.client("feed", "accept", "changing");

    assertEquals(1, stopped.code());
    assertTrue(stopped.err().contains("yardage feed accept changing"), stopped.err());
    assertTrue(changes.out().contains("[metres] is new in changing/2.csv"), changes.out());
    assertTrue(accepted.out().contains("version 2"), accepted.out() + accepted.err());
    assertEquals(
        "[[\"R1\",null],[\"R2\",7]]", rows("select roll, metres from raw.changing order by 1"));
    assertEquals(1, nothing.code());
    assertEquals(
        "[[\"R1\",null],[\"R2\",7]]",
        rows("select roll, metres from feed.changing order by roll").replace("[]", ""),
        "the files where they lie");
  }

  @Test
  void feedsReadFoldersThatTheAdministratorNamed() throws java.io.IOException {
    JsonNode connections = service.get("/api/v1/connections").body();
    java.nio.file.Path share = java.nio.file.Path.of(connections.get(1).path("folder").asString());
    java.nio.file.Files.writeString(share.resolve("pallets 1.csv"), "pallet;m\nP1;5\n");

    TestService.Said proposed =
        service.client("feed", "propose", "--connection", "mill-share", "--land");
    TestService.await(
        "the landing",
        java.time.Duration.ofSeconds(60),
        () -> !List.of("queued", "running").contains(service.state(lastRun("land-pallets"))));
    assertEquals(
        "succeeded",
        service.state(lastRun("land-pallets")),
        service.get("/api/v1/runs/" + lastRun("land-pallets")).body().toString());
    TestService.Answer unknown =
        service.put(
            "/api/v1/feeds/odd",
            Map.of(
                "text",
                "feed: odd\nconnection: elsewhere\nfiles: x\ntext: {}\ncolumns: {n: int}\n"));

    assertEquals("[gone, mill-share]", connections.findValuesAsString("name").toString());
    assertEquals(false, connections.get(0).path("there").asBoolean());
    assertEquals(0, proposed.code(), proposed.err());
    assertEquals("[[\"P1\",5]]", rows("select * from raw.pallets"));
    assertEquals("no-connection", unknown.body().path("code").asString());
  }

  @Test
  void aNarrowerContractIsRefusedWithTheValues() {
    apply("narrow", "feed: narrow\nfiles: narrow/*\ntext: {}\ncolumns: {n: bigint}\n");
    service.put("narrow/1.csv", "n\n1\n70000000000\n");

    TestService.Answer answer =
        service.put(
            "/api/v1/feeds/narrow",
            Map.of("text", "feed: narrow\nfiles: narrow/*\ntext: {}\ncolumns: {n: int}\n"));

    assertEquals("narrower", answer.body().path("code").asString());
    assertTrue(
        answer.body().path("detail").asString().contains("line 3 \"70000000000\""),
        answer.body().toString());
  }

  @Test
  void joinsAreDiagnosedAndRulesAreKeptRunByRun() {
    apply(
        "bolts",
        "feed: bolts\nfiles: bolts/*\ntake: all\ntrim: false\ntext: {}\ncolumns: {bolt: varchar, loom: varchar, m: int}\n");
    apply(
        "frames", "feed: frames\nfiles: frames/*\ntake: all\ntext: {}\ncolumns: {code: varchar}\n");
    service.put("bolts/1.csv", "bolt,loom,m\nB1,F1 ,5\nB2,F2,-6\nB3,F9,7\n");
    service.put("frames/1.csv", "code\nF1\nF2\n");
    TestService.Said applied =
        service.client(
            "pipeline",
            "apply",
            service.file(
                "framed.yaml",
                """
                pipeline: framed
                steps:
                  bolts: {read: {feed: bolts}}
                  frames: {read: {feed: frames}}
                  sound: {from: bolts, check: {long: {is: m > 0}, few: {rows: {at-most: 2}, else: warn}}}
                  placed: {from: sound, join: {with: frames, on: {loom: code}, kind: left}}
                  out: {from: placed, write: {table: raw.framed, mode: upsert, key: [bolt]}}
                """));
    assertEquals(0, applied.code(), applied.err());
    long run = run("framed");

    TestService.Said said = service.client("diagnose", "framed", "placed");
    TestService.Said wrong = service.client("diagnose", "framed", "sound");
    TestService.Said checks = service.client("checks", String.valueOf(run));
    JsonNode history = service.get("/api/v1/pipelines/framed/checks").body();
    TestService.Answer replayed =
        service.post("/api/v1/runs/%d/set-aside/replay".formatted(run), Map.of("rows", List.of(1)));
    TestService.Answer all =
        service.post("/api/v1/runs/%d/set-aside/replay".formatted(run), Map.of());

    assertTrue(
        said.out().contains("sound by loom: 0 of 2 rows match; 2 do not, such as [F1·] [F9]"),
        said.out());
    assertTrue(
        said.out().contains("1 rows more would match without blanks at the ends"), said.out());
    assertTrue(said.out().contains("shape: {trim: [loom]}"), said.out());
    assertEquals(1, wrong.code());
    assertTrue(wrong.err().contains("There is placed"), wrong.err());
    assertTrue(
        checks.out().contains("set-aside") && checks.out().contains("not so: m > 0"), checks.out());
    assertEquals("[warned, set-aside]", history.findValuesAsString("outcome").toString());
    assertEquals(404, service.get("/api/v1/runs/999999/checks").status());
    assertEquals("no-record", replayed.body().path("code").asString());
    assertEquals(0, all.body().path("replayed").asLong());
    assertEquals("[[\"B1\"],[\"B3\"]]", rows("select bolt from raw.framed order by 1"));
  }

  @Test
  void aTableGoesBackToAnOlderStateAndForwardAgain() {
    apply("older", "feed: older\nfiles: older/*\ntake: all\ntext: {}\ncolumns: {n: int}\n");
    applyPipeline("older", "mode: replace, columns: follow");
    service.put("older/1.csv", "n\n1\n2\n");
    run("older");
    apply(
        "older",
        "feed: older\nfiles: older/*\ntake: all\ntext: {}\ncolumns: {n: \"decimal(12, 1)\"}\n");
    service.put("older/1.csv", "n\n7.5\n");
    run("older");
    JsonNode snapshots = service.get("/api/v1/tables/raw.older").body().path("snapshots");
    String newest = snapshots.get(0).path("id").asString();
    String first = snapshots.get(1).path("id").asString();

    TestService.Said back = service.client("table", "roll-back", "raw.older", first);
    String then = rows("select n from raw.older order by 1");
    TestService.Said again = service.client("table", "roll-back", "raw.older", first);
    TestService.Said nowhere = service.client("table", "roll-back", "raw.older", "12");
    TestService.Said forward = service.client("table", "roll-back", "raw.older", newest);

    assertEquals(0, back.code(), back.err());
    assertTrue(back.out().contains("with 2 rows"), back.out());
    assertEquals("[[1],[2]]", then);
    assertTrue(again.err().contains("is what table [raw.older] has now"), again.err());
    assertTrue(nowhere.err().contains("has no snapshot [12]"), nowhere.err());
    assertEquals(0, forward.code(), forward.err());
    assertEquals("[[\"7.5\"]]", rows("select n from raw.older order by 1"));
  }

  @Test
  void aFeedThatWantsItTakesNewColumnsAtOnce() {
    apply(
        "growing",
        "feed: growing\nfiles: growing/*\nchange: add\njson: {}\ncolumns: {roll: varchar}\n");
    applyPipeline("growing", "columns: follow");
    service.put("growing/1", "{\"roll\":\"R1\"}\n");
    run("growing");
    service.put("growing/2", "{\"roll\":\"R2\",\"marks\":[\"a\",\"b\"]}\n");
    long run = run("growing");

    JsonNode detail = service.get("/api/v1/feeds/growing").body();

    assertEquals(2, detail.path("version").asInt());
    assertEquals("run " + run, detail.path("versions").get(0).path("savedBy").asString());
    assertEquals(
        "[[\"R1\",null],[\"R2\",\"b\"]]",
        rows("select roll, marks[2] from raw.growing order by roll"));
  }

  @Test
  void aFolderIsProposedKeptAndLandedInOneCommand() {
    service.put("batch/looms-1.csv", "code;hall\nL1;N\nL2;S\n");
    service.put("batch/gates.json", "[{\"gate\":\"A1\",\"open\":true}]");

    TestService.Said said = service.client("feed", "propose", "batch", "--land");
    for (String pipeline : List.of("land-batch-looms", "land-batch-gates")) {
      assertEquals(0, service.client("watch", "" + lastRun(pipeline)).code());
    }

    assertEquals(0, said.code(), said.err());
    assertEquals("[[\"L1\",\"N\"],[\"L2\",\"S\"]]", rows("select code, hall from raw.batch_looms"));
    assertEquals("[[\"A1\",true]]", rows("select * from raw.batch_gates"));
    JsonNode files = service.get("/api/v1/feeds/batch-looms").body().path("files");
    assertEquals("taken", files.get(0).path("fate").asString());
    TestService.Said again =
        service.client(
            "feed", "again", "batch-looms", "batch/looms-1.csv", "--pipeline", "land-batch-looms");
    assertTrue(again.out().contains("will have their 2 rows twice"), again.out() + again.err());
    run("land-batch-looms");
    assertEquals("[[4]]", rows("select count(*) from raw.batch_looms"));
  }

  /**
   * What stands in a file may be made to fill a message; the run ends all the same, and says why.
   */
  @Test
  void aFileMadeToFillMessagesEndsItsRun() {
    apply("filled", "feed: filled\nfiles: filled/*.csv\ntext: {}\ncolumns: {n: int}\n");
    applyPipeline("filled", "mode: append");
    service.put("filled/1.csv", "n," + "x".repeat(500_000) + "\n1,2\n");
    TestService.Said wide = service.client("run", "filled", "--wait");
    service.put("filled/1.csv", "\0".repeat(5_000_000));
    TestService.Said zeros = service.client("run", "filled", "--wait");

    assertEquals(1, wide.code());
    assertTrue(wide.err().contains("… (cut here)"), "the message is cut");
    assertEquals(1, zeros.code());
    assertTrue(zeros.err().contains("holds NUL characters"), zeros.err());
  }

  @Test
  void previewsADocumentThatIsNotSaved() {
    service.put("seen/1.csv", "n\n1\nx\n");
    TestService.Answer seen =
        service.post(
            "/api/v1/feeds/preview",
            Map.of("text", "feed: seen\nfiles: seen/*\ntext: {}\ncolumns: {n: int}\n", "rows", 10));
    TestService.Answer wrong =
        service.post("/api/v1/feeds/preview", Map.of("text", "feed: seen\n", "rows", 10));

    assertEquals("[[\"1\"]]", seen.body().path("rows").toString());
    assertEquals(3, seen.body().path("setAside").get(0).path("line").asInt());
    assertEquals("n\n1\nx\n", seen.body().path("raw").asString());
    assertEquals(422, wrong.status());
    assertEquals(404, service.get("/api/v1/feeds/seen").status());
  }

  private static HttpResponse<String> part(String id, long offset, byte[] bytes)
      throws IOException, InterruptedException {
    return HttpClient.newHttpClient()
        .send(
            HttpRequest.newBuilder(
                    URI.create(service.server() + "/api/v1/uploads/" + id + "?offset=" + offset))
                .header("Authorization", "Bearer " + service.token())
                .header("Content-Type", "application/octet-stream")
                .PUT(HttpRequest.BodyPublishers.ofByteArray(bytes))
                .build(),
            HttpResponse.BodyHandlers.ofString());
  }

  private static String sha256(byte[] bytes) throws Exception {
    return HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(bytes));
  }

  @Test
  void anUploadGoesOnWhereItBrokeOffAndIsCheckedByItsHash() throws Exception {
    byte[] bytes = new byte[300_000];
    new Random(4).nextBytes(bytes);
    Map<String, Object> request = Map.of("path", "sent/a b ç.bin", "sizeBytes", bytes.length);
    String id = service.post("/api/v1/uploads", request).body().path("id").asString();
    byte[] first = java.util.Arrays.copyOf(bytes, 100_000);
    byte[] rest = java.util.Arrays.copyOfRange(bytes, 100_000, bytes.length);

    assertEquals(200, part(id, 0, first).statusCode());
    assertEquals(409, part(id, 0, first).statusCode(), "bytes that are there already");
    assertEquals(
        409,
        service.post("/api/v1/uploads/" + id + "/finish", Map.of("sha256", sha256(bytes))).status(),
        "not whole yet");
    assertFalse(Files.exists(service.inbox().resolve("sent/a b ç.bin")));
    long arrived = service.get("/api/v1/uploads/" + id).body().path("arrived").asLong();
    assertEquals(200, part(id, arrived, rest).statusCode());
    JsonNode done =
        service.post("/api/v1/uploads/" + id + "/finish", Map.of("sha256", sha256(bytes))).body();

    assertEquals("sent/a b ç.bin", done.path("path").asString());
    assertEquals(
        -1,
        java.util.Arrays.mismatch(
            bytes, Files.readAllBytes(service.inbox().resolve("sent/a b ç.bin"))));
    assertEquals(
        "already-there", service.post("/api/v1/uploads", request).body().path("code").asString());
    String damaged =
        service
            .post("/api/v1/uploads", Map.of("path", "sent/x", "sizeBytes", 3))
            .body()
            .path("id")
            .asString();
    part(damaged, 0, new byte[] {1, 2, 3});
    TestService.Answer refused =
        service.post("/api/v1/uploads/" + damaged + "/finish", Map.of("sha256", "00"));
    assertEquals("wrong-hash", refused.body().path("code").asString());
    assertFalse(Files.exists(service.inbox().resolve("sent/x")));
  }

  @Test
  void aNameThatIsThereIsReplacedKeptTwiceOrSkippedAsTold() throws IOException {
    for (String[] step :
        new String[][] {
          {"ask", "one"}, {"skip", "two"}, {"keep-both", "three"}, {"replace", "four"}
        }) {
      Path file = Files.writeString(Path.of(service.file("twice.txt", step[1])), step[1]);
      TestService.Said said =
          service.client("upload", file.toString(), "--to", "both", "--if-there", step[0]);
      assertEquals(0, said.code(), said.out() + said.err());
    }

    assertEquals("four", Files.readString(service.inbox().resolve("both/twice.txt")));
    assertEquals("three", Files.readString(service.inbox().resolve("both/twice (2).txt")));
    assertFalse(Files.exists(service.inbox().resolve("both/twice (3).txt")));
  }

  @ParameterizedTest
  @ValueSource(
      strings = {"../x", "/etc/x", "a/../../x", ".hidden", "a/.replayed/x", "a\\b", "a\u0007b", ""})
  void uploadsCannotLeaveTheInbox(String path) {
    TestService.Answer answer =
        service.post("/api/v1/uploads", Map.of("path", path, "sizeBytes", 1));

    assertEquals(422, answer.status());
    assertEquals("wrong-path", answer.body().path("code").asString());
  }

  @Test
  void linksInTheInboxAreNotFollowed(@TempDir Path outside) throws IOException {
    Files.createDirectories(service.inbox());
    Files.writeString(outside.resolve("secret.csv"), "n\n1\n");
    Files.createSymbolicLink(service.inbox().resolve("linked"), outside);

    TestService.Answer upload =
        service.post("/api/v1/uploads", Map.of("path", "linked/x", "sizeBytes", 1));
    TestService.Answer propose =
        service.post("/api/v1/feeds/propose", Map.of("files", List.of("linked/**")));

    assertEquals("wrong-path", upload.body().path("code").asString());
    assertEquals("no-files", propose.body().path("code").asString());
  }

  /**
   * A file that has the size and the time of before is known by them, so that a run need not read
   * all that it took in before; times are finer on disk than in the ledger.
   */
  @Test
  void knownFilesAreNotReadAgain() throws IOException {
    String feed =
        "feed: known\nfiles: known/*.csv\ntext: {}\ncolumns: {roll: varchar, file: {add: file}}\n";
    service.say("feed", "apply", service.file("known-feed.yaml", feed));
    service.say(
        "pipeline",
        "apply",
        service.file(
            "known.yaml",
            "pipeline: known\nsteps:\n  rows: {read: {feed: known}}\n  out: {from: rows, write: {table: t.known}}\n"));
    FileTime time = FileTime.from(Instant.parse("2026-03-01T10:00:00.123456789Z"));
    Path file = service.inbox().resolve("known/1.csv");
    service.put("known/1.csv", "roll\nR1\n");
    Files.setLastModifiedTime(file, time);
    service.say("run", "known", "--wait");

    service.put("known/1.csv", "roll\nR2\n");
    Files.setLastModifiedTime(file, time);
    String again = service.say("run", "known", "--wait");
    Files.setLastModifiedTime(file, FileTime.from(time.toInstant().plusSeconds(1)));
    TestService.Said changed = service.client("run", "known", "--wait");

    assertTrue(again.contains("0 read"), again);
    assertEquals(1, changed.code());
    assertTrue(changed.err().contains("has other contents now"), changed.err());
  }
}

package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Map;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import tools.jackson.databind.JsonNode;

/** Tables in the long run, through the client and the HTTP interface. */
class TableCareServiceTest {
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

  /** Three runs into a table of its own, each with a new file. */
  private static void table(String name, String how) {
    String feed =
        "feed: %1$s\nfiles: %1$s/*.csv\ntext: {}\ncolumns: {cut: varchar, metres: \"decimal(9, 2)\", note: varchar}\n"
            .formatted(name);
    assertEquals(
        0, service.client("feed", "apply", service.file(name + "-feed.yaml", feed)).code());
    String pipeline =
        "pipeline: %1$s\nsteps:\n  cuts: {read: {feed: %1$s}}\n  publish: {from: cuts, write: {table: t.%1$s, %2$s}}\n"
            .formatted(name, how);
    assertEquals(
        0, service.client("pipeline", "apply", service.file(name + ".yaml", pipeline)).code());
    for (int i = 1; i <= 3; i++) {
      service.put(
          "%s/%d.csv".formatted(name, i),
          "cut,metres,note\nC%d,1.50,\"=%s\"\nshared,%d.00,\n".formatted(i, name, i));
      assertEquals(0, service.client("run", name, "--wait").code());
    }
  }

  private static String client(String... arguments) {
    TestService.Said said = service.client(arguments);
    assertEquals(0, said.code(), said.err());
    return said.out();
  }

  private static JsonNode detail(String name) {
    return service.get("/api/v1/tables/t." + name).body();
  }

  @Test
  void aTableIsComparedAndReadAsItWasAndItsOldStatesExpire() throws IOException {
    table("aged", "mode: upsert, key: [cut]");
    JsonNode snapshots = detail("aged").path("snapshots");
    String first = snapshots.get(snapshots.size() - 1).path("id").asString();

    String compared = client("table", "compare", "t.aged", first, "--key", "cut");
    JsonNode then = service.get("/api/v1/tables/t.aged/sample?asOf=" + first).body().path("rows");

    assertTrue(compared.contains("2 rows added, 0 removed, 1 changed"), compared);
    assertTrue(compared.contains("1 in metres"), compared);
    assertEquals(2, then.size());
    assertEquals(404, service.get("/api/v1/tables/t.none/compare?from=1").status());
    assertEquals(409, service.get("/api/v1/tables/t.aged/compare?from=12345").status());

    String expired = client("table", "expire", "t.aged", "--keep", "1", "--older-than", "0h");

    assertTrue(expired.contains("2 snapshots forgotten"), expired);
    assertEquals(1, detail("aged").path("snapshots").size());
    try (var files = Files.walk(service.home.resolve("lake/tables/t/aged/data"))) {
      assertEquals(detail("aged").path("files").size(), files.filter(Files::isRegularFile).count());
    }
    assertEquals(4, detail("aged").path("summary").path("rows").asInt());
  }

  @Test
  void smallFilesAreToldAndPutTogether() {
    table("scattered", "mode: append");
    String before = client("table", "health", "t.scattered");

    String done = client("table", "compact", "t.scattered");

    assertTrue(before.contains("yardage table compact t.scattered"), before);
    assertTrue(done.contains("became 1 of"), done);
    assertEquals(1, detail("scattered").path("files").size());
    assertEquals(
        "compact", detail("scattered").path("snapshots").get(0).path("operation").asString());
    assertTrue(client("table", "compact", "t.scattered").contains("no small files"));
    assertFalse(client("table", "health", "t.scattered").contains("small-files"));
    assertEquals(
        "[[\"C1\",1.5],[\"C2\",1.5],[\"C3\",1.5],[\"shared\",1.0],[\"shared\",2.0],[\"shared\",3.0]]",
        service
            .post(
                "/api/v1/query",
                Map.of("sql", "select cut, cast(metres as double) from t.scattered order by 1, 2"))
            .body()
            .path("rows")
            .toString());
  }

  @Test
  void aFileThatIsLostShowsInTheTablesHealthOnceSomebodyMissesIt() throws IOException {
    table("lost", "mode: append");
    String before = client("table", "health");
    Path file =
        Path.of(detail("lost").path("location").asString())
            .resolve(detail("lost").path("files").get(0).path("path").asString());
    Path kept = Files.move(file, service.home.resolve("kept.parquet"));

    TestService.Said asked = service.client("query", "select max(cut) from t.lost");
    String list = client("table", "health");
    Files.move(kept, file);
    client("table", "health", "t.lost");
    String mended = client("table", "health");

    assertFalse(lineOf(before, "t.lost").contains("lost-files"), before);
    assertTrue(asked.err().contains("yardage table health t.lost"), asked.err());
    assertTrue(lineOf(list, "t.lost").contains("lost"), list);
    assertFalse(lineOf(list, "t.lost").strip().endsWith("well"), list);
    assertFalse(mended.contains("lost-files"), mended);
  }

  private static String lineOf(String text, String table) {
    return text.lines().filter(l -> l.startsWith(table + " ")).findFirst().orElseThrow();
  }

  @Test
  void aDroppedTableCanComeBackOrGoForGood() {
    table("dropped", "mode: upsert, key: [cut]");
    TestService.Said used = service.client("table", "drop", "t.dropped");
    assertEquals(1, used.code());
    assertTrue(used.err().contains("used by dropped"), used.err());

    String dropped = client("table", "drop", "t.dropped", "--anyway");
    String number = dropped.strip().substring(dropped.strip().lastIndexOf(' ') + 1);

    assertEquals(404, service.get("/api/v1/tables/t.dropped").status());
    service.put("dropped/4.csv", "cut,metres,note\nC9,1.00,\n");
    client("run", "dropped", "--wait");
    client("table", "expire", "t.dropped", "--keep", "1", "--older-than", "0h");
    assertEquals(
        409,
        service.post("/api/v1/bin/%s/restore".formatted(number), Map.of()).status(),
        "its name is taken again");
    client("table", "drop", "t.dropped", "--anyway");
    client("table", "restore", number);
    assertEquals(4, detail("dropped").path("summary").path("rows").asInt());
    assertTrue(
        client("query", "select count(metres) from t.dropped", "--output", "csv").contains("4"),
        "its files were not swept with those of the table that took its name");

    client("table", "drop", "t.dropped", "--anyway");
    for (JsonNode b : service.get("/api/v1/bin").body()) {
      client("table", "purge", b.path("id").asString());
    }

    assertFalse(Files.exists(service.home.resolve("lake/tables/t/dropped/data")));
    assertEquals(1, service.client("table", "restore", number).code());
  }

  @Test
  void aPartIsUsedAndRefusesToBreakWhoUsesIt() {
    table("parted", "mode: append");
    String part =
        "part: halves\ninputs: [cuts]\nsteps:\n  half: {from: cuts, shape: {set: {half: metres / 2}}}\n  kept: {from: half, keep: half > 1}\ngives: kept\n";
    client("part", "apply", service.file("part.yaml", part));
    client(
        "pipeline",
        "apply",
        service.file(
            "user.yaml",
            "pipeline: part-user\nsteps:\n  rows: {read: {table: t.parted}}\n  fine: {from: rows, use: {part: halves}}\n  out: {from: fine, write: {table: t.halves, mode: replace}}\n"));

    String ran = client("run", "part-user", "--wait");
    TestService.Said broken =
        service.client(
            "part", "apply", service.file("part.yaml", part.replace("metres / 2", "yards / 2")));

    assertTrue(ran.contains("fine__half") && ran.contains("The books balance"), ran);
    assertEquals(1, broken.code());
    assertTrue(broken.err().contains("In part [halves], step [half], line 4"), broken.err());
    assertTrue(client("part", "list").contains("part-user"));
    assertTrue(
        client("part", "check", service.file("part.yaml", part)).contains("used by part-user"));
    client("part", "apply", service.file("part.yaml", part.replace("half > 1", "half > 1.4")));
    client("run", "part-user", "--wait");
    JsonNode run = service.get("/api/v1/runs?pipeline=part-user").body();
    JsonNode newest = service.get("/api/v1/runs/" + run.get(0).path("id").asLong()).body();
    assertEquals(2, newest.path("feedVersions").path("part halves").asInt());
    assertEquals(1, detail("halves").path("summary").path("rows").asInt());
  }

  @Test
  void aStarIsKeptCheckedAndAskedForItsMeasures() {
    table("starred", "mode: append");
    String star =
        """
        star: cuts
        dimensions: {}
        facts:
          cuts: {table: t.starred, grain: [cut], keep: [note], measures: {metres_cut: {is: sum(metres)}}}
        """;

    TestService.Said refused =
        service.client(
            "star", "apply", service.file("wrong.yaml", star.replace("(metres)", "(metre)")));
    client("star", "apply", service.file("star.yaml", star));
    TestService.Said checked = service.client("star", "check", "cuts");

    assertEquals(1, refused.code());
    assertTrue(
        refused.err().contains("did you mean") || refused.err().contains("[metre]"), refused.err());
    assertEquals(1, checked.code(), "its grain is not unique");
    assertTrue(checked.out().contains("shared (3 times)"), checked.out());
    assertTrue(client("star", "list").contains("cuts"));
    assertEquals(
        "[[10.5]]",
        service
            .post(
                "/api/v1/query", Map.of("sql", "select cast(metres_cut as double) from cuts.cuts"))
            .body()
            .path("rows")
            .toString());
  }

  @Test
  void aRowIsFollowedBackAndAColumnToItsField() {
    table("followed", "mode: upsert, key: [cut]");

    String story = client("follow", "row", "t.followed", "cut=C2");
    TestService.Said none = service.client("follow", "row", "t.followed", "cut=C7");
    TestService.Said wrong = service.client("follow", "row", "t.followed", "cutt=C2");

    assertTrue(story.contains("followed/2.csv, line 2"), story);
    assertTrue(story.contains("ended in t.followed"), story);
    assertEquals(1, none.code());
    assertTrue(none.out().contains("No row with these values"), none.out());
    assertTrue(
        wrong.err().contains("has no column [cutt]; there are cut, metres, note"), wrong.err());
    assertTrue(
        client("follow", "line", "followed", "followed/2.csv", "2")
            .contains("ended in t.followed"));
    assertTrue(
        service
            .client("follow", "line", "followed", "followed/2.csv", "99")
            .err()
            .contains("no row"));
    assertTrue(client("follow", "column", "t.followed", "metres").contains("feed followed.metres"));
  }

  @Test
  void rowsGoToOtherPrograms() throws IOException {
    table("exported", "mode: upsert, key: [cut]");
    String sql = "select cut, metres, note from t.exported where cut <> 'shared' order by 1 desc";

    assertEquals(
        "cut,metres,note\r\nC3,1.50,'=exported\r\nC2,1.50,'=exported\r\nC1,1.50,'=exported\r\n",
        client("export", "--sql", sql));
    assertTrue(client("export", "--sql", sql, "--as-is").contains("C3,1.50,=exported"));
    Path lines = service.home.resolve("out.jsonl");
    client("export", "t.exported", "-o", lines.toString());
    assertEquals(4, Files.readAllLines(lines).size());
    assertTrue(
        Files.readString(lines).contains("{\"cut\":\"shared\",\"metres\":3.00,\"note\":null}"));
    Path parquet = service.home.resolve("out.parquet");
    client("export", "t.exported", "-o", parquet.toString());
    byte[] bytes = Files.readAllBytes(parquet);
    assertEquals("PAR1", new String(bytes, 0, 4));
    assertEquals("PAR1", new String(bytes, bytes.length - 4, 4));
    TestService.Said wrong = service.client("export", "--sql", "select nothing from t.exported");
    assertEquals(1, wrong.code());
    assertTrue(wrong.err().contains("[nothing]"), wrong.err());
    assertEquals("", wrong.out());
    assertEquals(
        422,
        service
            .post("/api/v1/exports", Map.of("sql", "select 1 / (metres - metres) from t.exported"))
            .status(),
        "what fails before the first row is told");
  }
}

package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import yardage.demo.WeavingMills;

/**
 * The service through its client and its HTTP interface. Each test has feeds, pipelines and tables
 * of its own.
 */
class ServiceTest {
  private static TestService service;

  private static final String CUTS =
      """
      feed: %1$s
      files: %1$s/*.csv
      text: {header: true}
      columns:
        day_cut: {type: date, required: true}
        metres: decimal(9, 2)
      set-aside-limit: {rows: 2}
      """;

  private static final String LAND =
      """
      pipeline: %1$s
      steps:
        cuts: {read: {feed: %1$s}}
        publish: {from: cuts, write: {table: raw.%1$s, mode: append}}
      """;

  @BeforeAll
  static void start() {
    service = TestService.start();
    service.signedIn();
  }

  @AfterAll
  static void stop() {
    service.close();
  }

  private static void apply(String name) {
    assertEquals(
        0,
        service
            .client("feed", "apply", service.file(name + "-feed.yaml", CUTS.formatted(name)))
            .code());
    TestService.Said said =
        service.client("pipeline", "apply", service.file(name + ".yaml", LAND.formatted(name)));
    assertEquals(0, said.code(), said.err());
  }

  @Test
  void letsNobodyReadWithoutSigningInButTheHealthCheck() {
    for (String path :
        List.of(
            "/api/v1/runs",
            "/api/v1/openapi",
            "/api/v1/tables/raw.x",
            "/api/v1/feeds",
            "/api/v1/overview",
            "/api/v1/runs/1/events",
            "/api/v1/nothing")) {
      assertEquals(401, service.send("GET", path, null).status(), path);
      assertEquals(
          401, service.send("GET", path, null, "Authorization", "Bearer yt_wrong").status(), path);
    }
    assertEquals(200, service.send("GET", "/api/v1/health", null).status());
    TestService.Answer wrong =
        service.send("POST", "/api/v1/session", Map.of("name", "admin", "password", "wrong"));
    assertEquals(401, wrong.status());
    assertEquals("wrong-sign-in", wrong.body().path("code").asString());
    assertEquals(
        401,
        service
            .send(
                "POST",
                "/api/v1/session",
                Map.of("name", "admin", "password", service.oneTimePassword))
            .status(),
        "the one-time password works once");
  }

  @Test
  void aRevokedTokenOpensNothingAndSessionsAreForThisSiteOnly() {
    String secret = service.client("token", "make", "for a test").out().strip();
    assertEquals(
        200,
        service.send("GET", "/api/v1/feeds", null, "Authorization", "Bearer " + secret).status());
    long id = -1;
    for (JsonNode t : service.get("/api/v1/tokens").body()) {
      id = t.path("name").asString().equals("for a test") ? t.path("id").asLong() : id;
    }

    service.client("token", "revoke", String.valueOf(id));

    assertEquals(
        401,
        service.send("GET", "/api/v1/feeds", null, "Authorization", "Bearer " + secret).status());
    String cookie =
        service
            .send(
                "POST",
                "/api/v1/session",
                Map.of("name", "admin", "password", TestService.PASSWORD))
            .response()
            .headers()
            .firstValue("Set-Cookie")
            .orElseThrow();
    assertTrue(cookie.contains("HttpOnly") && cookie.contains("SameSite=Strict"), cookie);
    String pair = cookie.split(";")[0];
    assertEquals(
        403,
        service
            .send(
                "POST",
                "/api/v1/tokens",
                Map.of("name", "x"),
                "Cookie",
                pair,
                "Sec-Fetch-Site",
                "cross-site")
            .status());
    assertEquals(204, service.send("DELETE", "/api/v1/session", null, "Cookie", pair).status());
    assertEquals(401, service.send("GET", "/api/v1/feeds", null, "Cookie", pair).status());
  }

  @Test
  void runsTheSampleScenarioThroughTheClient() throws IOException {
    WeavingMills.Expected expected = WeavingMills.write(service.inbox(), 3000, 11);
    for (String feed : List.of("mills", "looms", "patterns", "roll-ledger", "inspections")) {
      assertEquals(
          0,
          service
              .client(
                  "feed",
                  "apply",
                  service.file(feed + ".yaml", TestService.demoDocument("feeds/" + feed + ".yaml")))
              .code());
    }
    for (String pipeline : List.of("land-reference", "land-ledger", "roll-inspection")) {
      TestService.Said applied =
          service.client(
              "pipeline",
              "apply",
              service.file(
                  pipeline + ".yaml", TestService.demoDocument("pipelines/" + pipeline + ".yaml")));
      assertEquals(0, applied.code(), applied.err());
      TestService.Said ran = service.client("run", pipeline, "--wait");
      assertEquals(0, ran.code(), ran.out() + ran.err());
      assertTrue(ran.out().contains("The books balance"), ran.out());
    }

    String total =
        service
            .client(
                "query",
                "select sum(rolls), sum(metres) from mart.roll_inspection",
                "--output",
                "csv")
            .out();
    TestService.Said tables = service.client("table", "list");
    TestService.Said refused =
        service.client(
            "pipeline",
            "check",
            service.file(
                "bad.yaml",
                TestService.demoDocument("pipelines/roll-inspection.yaml")
                    .replace("metres > 0", "metrs > 0")));

    assertEquals(
        expected.count("mart.rolls") + "," + expected.metres(),
        total.lines().skip(1).findFirst().orElse(""));
    assertTrue(
        tables.out().contains("mart.roll_inspection") && tables.out().contains("month(woven_on)"),
        tables.out());
    assertEquals(1, refused.code());
    assertTrue(
        refused
            .out()
            .contains(
                "line 22, column 11, step usable: There is no column [metrs]; did you mean [metres]?"),
        refused.out());
  }

  @Test
  void keepsEveryVersionWithWhoAndWhen() {
    apply("versions");
    String changed = LAND.formatted("versions") + "about: changed\n";
    service.client("pipeline", "apply", service.file("versions.yaml", changed));
    service.client("pipeline", "apply", service.file("versions.yaml", changed));

    JsonNode detail = service.get("/api/v1/pipelines/versions").body();

    assertEquals(
        List.of(2, 1),
        detail.path("versions").valueStream().map(v -> v.path("version").asInt()).toList(),
        "saving the same again makes no version");
    assertEquals("admin", detail.path("versions").get(0).path("savedBy").asString());
    assertEquals(
        LAND.formatted("versions"),
        service.get("/api/v1/pipelines/versions/versions/1").body().path("text").asString());
    TestService.Answer late =
        service.put(
            "/api/v1/pipelines/versions", Map.of("text", changed + "# mine\n", "basedOn", 1));
    assertEquals(409, late.status());
    assertEquals("changed-meanwhile", late.body().path("code").asString());
  }

  @Test
  void aRunThatFailsSaysWhyPublishesNothingAndGivesOne() {
    apply("failing");
    service.put("failing/1.csv", "day_cut,metres\n2026-01-01,1.00\nx,1\ny,1\nz,1\n");

    TestService.Said ran = service.client("run", "failing", "--wait");
    service.put("failing/1.csv", "day_cut,metres\n2026-01-01,1.00\nx,1\n");
    TestService.Said mended = service.client("run", "failing", "--wait");

    assertEquals(1, ran.code());
    assertTrue(
        ran.err()
            .contains(
                "Step cuts: Feed [failing] set more rows aside than the 2 that its set-aside-limit allows (3 wrong-type), mostly of file [failing/1.csv]; nothing was published."),
        ran.err());
    assertEquals(0, mended.code(), mended.err());
    assertTrue(mended.out().contains("Set aside: 1 wrong-type"), mended.out());
    long run =
        service.get("/api/v1/runs?pipeline=failing&limit=1").body().get(0).path("id").asLong();
    TestService.Said rows = service.client("set-aside", String.valueOf(run));
    assertTrue(
        rows.out().contains("failing/1.csv, line 3")
            && rows.out().contains("day_cut, wrong-type: [x] is not a valid date"),
        rows.out());
    assertEquals(
        "[[1]]",
        service
            .post("/api/v1/query", Map.of("sql", "select count(*) from raw.failing"))
            .body()
            .path("rows")
            .toString());
  }

  @Test
  void aFileThatChangedUnderItsNameIsNotTakenTwice() {
    apply("changing");
    service.put("changing/1.csv", "day_cut,metres\n2026-01-01,1.00\n");
    service.client("run", "changing", "--wait");
    service.put("changing/1.csv", "day_cut,metres\n2026-01-01,1.00\n2026-01-02,1.00\n");

    TestService.Said again = service.client("run", "changing", "--wait");

    assertEquals(1, again.code());
    assertTrue(
        again.err().contains("[changing/1.csv] was taken in before and has other contents now"),
        again.err());
  }

  @Test
  void queriesAnswerInThreeFormatsAndMistakesNameTheirPlace() {
    String sql =
        "select * from (values (1, 'a, b', cast(null as varchar), 2.50), (2, '', ' x ', -1.00)) as t(n, s, m, d)";

    assertEquals(
        "n,s,m,d\r\n1,\"a, b\",,2.50\r\n2,\"\", x ,-1.00\r\n",
        service.client("query", sql, "-o", "csv").out());
    assertEquals(
        new JsonMapper()
            .readTree(
                "[{\"n\":1,\"s\":\"a, b\",\"m\":null,\"d\":\"2.50\"},{\"n\":2,\"s\":\"\",\"m\":\" x \",\"d\":\"-1.00\"}]"),
        new JsonMapper().readTree(service.client("query", sql, "-o", "json").out()));
    assertTrue(service.client("query", sql).out().contains("\u00b7x\u00b7"));
    TestService.Said wrong = service.client("query", "select n\nfrom raw.nothing_here");
    assertEquals(1, wrong.code());
    assertTrue(
        wrong.err().contains("line 2, column 6: There is no table or input [raw.nothing_here]"),
        wrong.err());
    assertEquals(2, service.client("query").code());
    assertEquals(1, service.client("query", "select 1 / (x - x) from (values (1)) as t(x)").code());
  }

  @Test
  void aResultIsKeptAndReadAPageAtATime() {
    String numbers =
        "(with recursive r(n) as (values (1) union all select n + 1 from r where n < 70) select n from r)";
    String sql =
        "select 1000 * a.n + b.n as id, mod(b.n, 7) as day, 'roll ' || cast(b.n as varchar) as name from %1$s a, %1$s b order by id"
            .formatted(numbers);
    TestService.Answer kept = service.post("/api/v1/results", Map.of("sql", sql));
    assertEquals(200, kept.status(), kept.body().toString());
    assertEquals(4_900, kept.body().path("rowCount").asInt());
    String rows = "/api/v1/results/" + kept.body().path("id").asString() + "/rows";

    JsonNode all =
        service.post("/api/v1/query", Map.of("sql", sql, "limit", 10_000)).body().path("rows");
    for (int from : List.of(0, 999, 4_000, 4_899, 4_900)) {
      JsonNode page = service.get(rows + "?count=500&from=" + from).body().path("rows");
      assertEquals(Math.min(500, 4_900 - from), page.size());
      for (int i = 0; i < page.size(); i++) {
        assertEquals(all.get(from + i), page.get(i));
      }
    }
    JsonNode found = service.get(rows + "?count=3&from=69&words=ROLL%207").body();
    assertEquals(2 * 70, found.path("rowCount").asInt());
    List<JsonNode> expected = new ArrayList<>();
    all.forEach(
        row -> {
          if (row.get(2).asString().contains("roll 7")) {
            expected.add(row);
          }
        });
    for (int i = 0; i < 3; i++) {
      assertEquals(expected.get(69 + i), found.path("rows").get(i));
    }

    Map<String, Object> sort = Map.of("column", 1, "descending", true);
    JsonNode sorted =
        service.post("/api/v1/results", Map.of("sql", sql, "sort", sort)).body().path("first");
    assertEquals(6, sorted.path("rows").get(0).get(1).asInt());
    assertEquals(1_000, sorted.path("rows").size());
    TestService.Answer wrong =
        service.post(
            "/api/v1/results",
            Map.of("sql", sql, "sort", Map.of("column", 3, "descending", false)));
    assertEquals(400, wrong.status());
    assertEquals(422, service.post("/api/v1/results", Map.of("sql", "select nothing")).status());

    assertEquals(204, service.delete(rows.replace("/rows", "")).status());
    assertEquals("result-gone", service.get(rows).body().path("code").asString());
  }

  @Test
  void aQueryIsExplainedATableDescribedAndAColumnNamed() {
    assertEquals(
        "expected,plan\r\n1,aggregate sum(n)\r\n2,└ 2 given rows\r\n",
        service
            .client("query", "explain select sum(n) from (values (1), (2)) as t(n)", "-o", "csv")
            .out());
    assertEquals(
        "expected,plan\r\n2,sort by count(*) descending\r\n2,└ group by n: count(*)\r\n2,│ └ 2 given rows\r\n",
        service
            .client(
                "query",
                "explain select n, count(*) from (values (1), (2)) as t(n) group by n order by 2 desc",
                "-o",
                "csv")
            .out());
    assertEquals(
        "1 + n,upper( 'a')\r\n2,A\r\n",
        service
            .client("query", "select 1 + n, upper(\n'a') from (values (1)) as t(n)", "-o", "csv")
            .out());
    assertEquals(
        "g,count(*)\r\na,2\r\nb,1\r\n",
        service
            .client(
                "query",
                "with t as (select * from (values ('a'), ('b'), ('a')) as v(g)) select g, count(*) from t group by g order by 2 desc",
                "-o",
                "csv")
            .out());
    assertEquals(
        "column,type,nulls\r\na,\"decimal(19, 2)\",no\r\nb,varchar,yes\r\n",
        service
            .client(
                "query",
                "describe select 2 * cast(1 as decimal(9, 2)) as a, cast(null as varchar) as b",
                "-o",
                "csv")
            .out());
    apply("catalogued");
    assertEquals(
        "table_name,table_type,n\r\ncatalogued,FEED,2\r\n",
        service
            .client(
                "query",
                "select table_name, table_type, (select count(*) from information_schema.columns c where c.table_schema = t.table_schema and c.table_name = t.table_name) as n from information_schema.tables t where table_name = 'catalogued'",
                "-o",
                "csv")
            .out());
    String[] analysed =
        service
            .client(
                "query",
                "explain analyze select n, count(*) from (values (1), (2), (1)) as t(n) where n < 9 and exists (select 1 from (values (2), (3)) as u(m) where m = n) group by n",
                "-o",
                "csv")
            .out()
            .split("\r\n");
    assertEquals(
        "expected,rows,cpu_ms,read_kb,partitions,files,row_groups,pages,memory_kb,disk_kb,plan,left_out",
        analysed[0]);
    assertTrue(
        analysed[1].matches("\\d+,1,[\\d.]+,0,.*,group by n: count\\(\\*\\),\"\""), analysed[1]);
    assertTrue(analysed[2].matches("\\d+,1,.*keep rows with a match, on n = m.*"), analysed[2]);
    assertTrue(analysed[3].matches("\\d+,3,.*"), analysed[3]);
    assertEquals(
        "n,metres * :m\r\n2,3.5\r\n",
        service
            .client(
                "query",
                "select n, metres * :m from (values (1, 2.0), (2, 3.5), (3, 1.5)) as t(n, metres) where n >= :low /* :no */ and ':x' <> :quote limit :most",
                "--set",
                "m=1",
                "--set",
                "low=1.5",
                "--set",
                "quote=' or 1 = 1 --",
                "--set",
                "most=1",
                "-o",
                "csv")
            .out());
    assertEquals(
        "2 * :two_2\r\n4\r\n",
        service.client("query", "select 2 * :two_2", "--set", "two_2=2", "-o", "csv").out());
    for (String[] wrong :
        new String[][] {
          {"select date '2026-01-01' < :day, 'a' = :x", "There is no value for :day"},
          {"select date '2026-01-01' < :x", "The value [soon] of :x is no date"},
          {"select :x", "The type of this parameter cannot be told"},
          {"select 1", "The query has no parameter [x]; it has none"},
          {"select 'a' = :x, ?", "a parameter has a name, as in :hall"}
        }) {
      String said = service.client("query", wrong[0], "--set", "x=soon").err();
      assertTrue(said.contains(wrong[1]), said);
    }
    TestService.Said sum =
        service.client(
            "query",
            "select sum(x) from (values (99999999999999999999999999999999999999), (1)) as t(x)");
    assertTrue(
        sum.err().contains("A sum of decimal(38, 0) does not fit decimal(38, 0)"), sum.err());
    TestService.Said none = service.client("query", "describe raw.nothing_here");
    assertEquals(1, none.code());
    assertTrue(none.err().contains("There is no table [raw.nothing_here]"), none.err());
    TestService.Said wrong = service.client("query", "explain select\n  nothing");
    assertTrue(wrong.err().contains("line 2, column 3"), wrong.err());
  }

  @Test
  void aCancelledRunStopsQuicklyAndPublishesNothing() throws IOException {
    apply("cancelled");
    Path file = service.inbox().resolve("cancelled/1.csv");
    Files.createDirectories(file.getParent());
    try (var out = Files.newBufferedWriter(file)) {
      out.write("day_cut,metres\n");
      for (int i = 0; i < 12_000_000; i++) {
        out.write("2026-01-01,1.00\n");
      }
    }
    long run =
        service.post("/api/v1/pipelines/cancelled/runs", Map.of()).body().path("id").asLong();
    TestService.await(
        "the run reads",
        Duration.ofSeconds(30),
        () ->
            service.get("/api/v1/runs/" + run).body().path("summary").path("rowsIn").asLong() > 0);

    Instant asked = Instant.now();
    service.client("cancel", String.valueOf(run));
    TestService.await(
        "the run ends", Duration.ofSeconds(60), () -> !service.state(run).equals("running"));

    assertEquals("cancelled", service.state(run));
    assertTrue(
        Duration.between(asked, Instant.now()).toMillis() < 3000,
        "stopped within " + Duration.between(asked, Instant.now()));
    assertEquals(404, service.get("/api/v1/tables/raw.cancelled").status());
    assertEquals(4, service.client("watch", String.valueOf(run)).code());
    assertFalse(
        Files.exists(service.home.resolve("lake/tables/raw/cancelled/data"))
            && Files.list(service.home.resolve("lake/tables/raw/cancelled/data"))
                .findAny()
                .isPresent(),
        "what was staged is gone");
    Files.delete(file);
  }

  @Test
  void aScheduleFiresOnce() {
    apply("minutely");
    service.put("minutely/1.csv", "day_cut,metres\n2026-01-01,1.00\n");
    service.client(
        "pipeline",
        "apply",
        service.file(
            "minutely.yaml", LAND.formatted("minutely") + "schedule: {cron: \"* * * * *\"}\n"));

    TestService.await(
        "a due time passes",
        Duration.ofSeconds(75),
        () -> service.get("/api/v1/runs?pipeline=minutely").body().size() > 0);
    service.client("pipeline", "apply", service.file("minutely.yaml", LAND.formatted("minutely")));
    JsonNode runs = service.get("/api/v1/runs?pipeline=minutely").body();

    assertEquals(1, runs.size());
    assertEquals("schedule", runs.get(0).path("cause").asString());
    Instant due = Instant.parse(runs.get(0).path("dueAt").asString());
    assertEquals(0, due.getEpochSecond() % 60);
    assertTrue(
        !Instant.parse(runs.get(0).path("requestedAt").asString()).isBefore(due),
        "no run comes before its time");
  }

  @Test
  void goesOnWhenTheDatabaseComesBack() throws IOException {
    apply("patient");
    Path file = service.inbox().resolve("patient/1.csv");
    Files.createDirectories(file.getParent());
    try (var out = Files.newBufferedWriter(file)) {
      out.write("day_cut,metres\n");
      for (int i = 0; i < 3_000_000; i++) {
        out.write("2026-01-01,1.00\n");
      }
    }
    long run = service.post("/api/v1/pipelines/patient/runs", Map.of()).body().path("id").asLong();
    TestService.await(
        "the run reads",
        Duration.ofSeconds(30),
        () ->
            service.get("/api/v1/runs/" + run).body().path("summary").path("rowsIn").asLong() > 0);

    service.db.stop();
    int away = service.get("/api/v1/health").status();
    service.db.startAgain();
    TestService.await(
        "the run ends",
        Duration.ofSeconds(60),
        () ->
            service.get("/api/v1/runs/" + run).status() == 200
                && !service.state(run).equals("running"));

    assertTrue(away == 503 || away == 500, "the service says that its database is away: " + away);
    assertEquals(
        "succeeded",
        service.state(run),
        service.get("/api/v1/runs/" + run).body().path("summary").path("failure").toString());
    assertEquals(
        "[[3000000]]",
        service
            .post("/api/v1/query", Map.of("sql", "select count(*) from raw.patient"))
            .body()
            .path("rows")
            .toString());
    Files.delete(file);
  }

  @Test
  void streamsARunsProgressAsEvents() {
    apply("streamed");
    service.put("streamed/1.csv", "day_cut,metres\n2026-01-01,1.00\n");
    long run = service.post("/api/v1/pipelines/streamed/runs", Map.of()).body().path("id").asLong();

    String events = service.get("/api/v1/runs/" + run + "/events").response().body();

    assertTrue(events.startsWith("event:run"), events.substring(0, Math.min(80, events.length())));
    String last =
        events.lines().filter(l -> l.startsWith("data:")).reduce((a, b) -> b).orElseThrow();
    assertEquals(
        "succeeded",
        new JsonMapper().readTree(last.substring(5)).path("summary").path("state").asString());
  }

  @Test
  void theConsoleIsServedAndItsTypesAreThoseOfTheInterface() throws IOException {
    assertTrue(
        service.send("GET", "/runs/1", null).response().body().contains("<div id=\"root\">"));
    JsonNode served = service.get("/api/v1/openapi").body();
    JsonNode kept = new JsonMapper().readTree(Files.readString(Path.of("../console/openapi.json")));

    for (String part : List.of("paths", "components")) {
      assertEquals(
          sorted(kept.path(part)),
          sorted(served.path(part)),
          "console/openapi.json is out of date: fetch /api/v1/openapi again, then npm run api");
    }
  }

  /**
   * The published schema names the verbs and fields that the parser knows: each demo document uses
   * only those.
   */
  @Test
  void theSchemasOfDocumentsAreServedAndKnowEveryFieldOfTheSamples() {
    assertEquals(401, service.send("GET", "/api/v1/schemas/pipeline.json", null).status());
    JsonNode steps =
        service
            .get("/api/v1/schemas/pipeline.json")
            .body()
            .path("properties")
            .path("steps")
            .path("additionalProperties")
            .path("properties");
    JsonNode columns = service.get("/api/v1/schemas/feed.json").body().path("properties");
    for (String pipeline : List.of("land-reference", "land-ledger", "roll-inspection")) {
      Map<String, Object> document =
          new org.yaml.snakeyaml.Yaml()
              .load(TestService.demoDocument("pipelines/" + pipeline + ".yaml"));
      ((Map<?, ?>) document.get("steps"))
          .values()
          .forEach(
              step ->
                  ((Map<?, ?>) step)
                      .keySet()
                      .forEach(
                          field -> assertTrue(steps.has((String) field), pipeline + ": " + field)));
    }
    for (String feed : List.of("mills", "looms", "patterns", "roll-ledger", "inspections")) {
      Map<String, Object> document =
          new org.yaml.snakeyaml.Yaml().load(TestService.demoDocument("feeds/" + feed + ".yaml"));
      document.keySet().forEach(field -> assertTrue(columns.has(field), feed + ": " + field));
    }
  }

  private static Object sorted(JsonNode node) {
    if (node.isObject()) {
      Map<String, Object> out = new TreeMap<>();
      node.propertyStream().forEach(e -> out.put(e.getKey(), sorted(e.getValue())));
      return out;
    }
    return node.isArray()
        ? node.valueStream().map(ServiceTest::sorted).map(Object::toString).sorted().toList()
        : node.toString();
  }
}

package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import tools.jackson.databind.JsonNode;

/** Views: kept, asked, named by other queries, and refused. */
class ViewsServiceTest {
  private static TestService service;

  @BeforeAll
  static void start() {
    service = TestService.start();
    service.signedIn();
    StringBuilder rows = new StringBuilder("bale,hall,kg\n");
    IntStream.range(0, 300)
        .forEach(i -> rows.append("%d,%s,%d\n".formatted(i, i % 3 == 0 ? "North" : "East", i)));
    service.put("bales/1.csv", rows.toString());
    service.say(
        "feed",
        "apply",
        service.file(
            "bales.yaml",
            "feed: bales\nfiles: bales/*.csv\ntext: {}\ncolumns: {bale: int, hall: varchar, kg: int}\n"));
    service.say(
        "pipeline",
        "apply",
        service.file(
            "land.yaml",
            "pipeline: land\nsteps:\n  bales: {read: {feed: bales}}\n  out: {from: bales, write: {table: mill.bales, mode: replace}}\n"));
    service.say("run", "land", "--wait");
  }

  @AfterAll
  static void stop() {
    service.close();
  }

  private static void keep(String name, String sql) {
    JsonNode kept =
        service.put("/api/v1/views/" + name + "/query", Map.of("about", "", "sql", sql)).body();
    assertEquals(name, kept.path("summary").path("name").asString(), kept.toString());
  }

  private static String rows(String sql) {
    return service.post("/api/v1/query", Map.of("sql", sql)).body().path("rows").toString();
  }

  private static String refusal(String sql) {
    JsonNode said = service.post("/api/v1/query", Map.of("sql", sql)).body();
    return said.path("problems").path(0).path("message").asString()
        + said.path("detail").asString();
  }

  @Test
  void queriesNameAViewAsTheyNameATable() {
    service.say(
        "view",
        "apply",
        service.file(
            "heavy.yaml",
            """
            # what is too heavy for one person
            view: heavy-bales
            about: Bales over 100 kg
            sql: |
              select hall, bale, kg
              from mill.bales
              where kg > 100
            """));
    keep("heavy-halls", "select hall, count(*) as bales, sum(kg) from view.heavy_bales group by 1");

    assertEquals(
        rows(
            "select hall, count(*), sum(kg) from mill.bales where kg > 100 group by hall order by 1"),
        rows("select * from view.heavy_halls order by 1"));
    assertEquals(
        "[[\"sum(kg)\",\"bigint\"]]",
        rows(
            "select column_name, data_type from information_schema.columns where table_name = 'heavy_halls' and ordinal_position = 3"));
    assertEquals(
        "[[\"VIEW\"]]",
        rows("select table_type from information_schema.tables where table_name = 'heavy_bales'"));
    // The filter around it reaches the table below it.
    String plan = rows("explain select bale from view.heavy_bales where hall = 'North'");
    assertTrue(plan.contains("kg > 100 AND hall = 'North'"), plan);
    String listed = service.say("view", "list");
    assertTrue(listed.contains("view.heavy_bales"), listed);
    assertTrue(service.say("view", "show", "heavy-bales").startsWith("# what is too heavy"));
    assertTrue(service.say("view", "ask", "heavy-halls", "-o", "csv").contains("East,"));
  }

  /** Plans are kept, each of its views and tables as they were. */
  @Test
  void whatIsAskedAgainFollowsItsViewsAndTables() {
    service.put("pins/1.csv", "pin\n1\n2\n3\n");
    service.say(
        "feed",
        "apply",
        service.file(
            "pins.yaml", "feed: pins\nfiles: pins/*.csv\ntext: {}\ncolumns: {pin: int}\n"));
    service.say(
        "pipeline",
        "apply",
        service.file(
            "pins-in.yaml",
            "pipeline: pins\nsteps:\n  pins: {read: {feed: pins}}\n  out: {from: pins, write: {table: mill.pins}}\n"));
    service.say("run", "pins", "--wait");
    keep("pins", "select sum(pin) as s from mill.pins where pin < 100");
    String sql = "select s, s + cast(:more as int) as t from view.pins";
    for (int i = 0; i < 4; i++) {
      assertEquals("[[6,16]]", rows(sql, "10"));
    }
    assertEquals("[[6,8]]", rows(sql, "2"), "another value");
    service.put("pins/2.csv", "pin\n50\n500\n");
    service.say("run", "pins", "--wait");
    for (int i = 0; i < 4; i++) {
      assertEquals("[[56,66]]", rows(sql, "10"), "another state");
    }
    keep("pins", "select max(pin) as s from mill.pins");
    for (int i = 0; i < 4; i++) {
      assertEquals("[[500,510]]", rows(sql, "10"), "another view");
    }
  }

  private static String rows(String sql, String more) {
    return service
        .post("/api/v1/query", Map.of("sql", sql, "parameters", Map.of("more", more)))
        .body()
        .path("rows")
        .toString();
  }

  @Test
  void whatIsKeptAgainIsAVersionAndKeepsItsComments() {
    String file =
        service.file("own.yaml", "# mine\nview: own\nsql: select 1 as n # one\nabout: as it was\n");
    service.say("view", "apply", file);
    keep("own", "select 2 as n\nfrom mill.bales");
    String text = service.get("/api/v1/views/own").body().path("text").asString();

    assertTrue(text.startsWith("# mine\nview: own\nsql: |"), text);
    assertTrue(text.contains("  select 2 as n\n  from mill.bales\n"), text);
    assertTrue(
        service.say("view", "show", "own", "--version", "1").contains("select 1 as n # one"));
    assertEquals(
        List.of("2", "1"),
        service
            .get("/api/v1/views/own/versions")
            .body()
            .valueStream()
            .map(v -> v.path("version").asString())
            .toList());
    assertEquals(
        409,
        service
            .put(
                "/api/v1/views/own/query",
                Map.of("about", "", "sql", "select 3 as n", "basedOn", 1))
            .status(),
        "somebody else has saved meanwhile");
    service.say("view", "remove", "own");
    assertFalse(service.say("view", "list").contains("own "), "it is gone from the list");
  }

  @Test
  void aViewWithParametersIsAskedWithValuesAndNotNamed() {
    keep("in-hall", "select count(*) as bales from mill.bales where hall = :hall and kg >= :least");

    assertEquals(
        List.of("bales", "33"),
        service
            .say("view", "ask", "in-hall", "--set", "hall=North", "--set", "least=200", "-o", "csv")
            .lines()
            .toList());
    assertTrue(
        refusal("select * from view.in_hall").contains("it asks for values (:hall, :least)"),
        refusal("select * from view.in_hall"));
    assertEquals(
        "[]",
        rows("select 1 from information_schema.columns where table_name = 'in_hall'"),
        "and the catalogue goes on without its columns");
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      quoteCharacter = '`',
      value = {
        "view: x\\nsql: select nope from mill.bales ~ 2:13 There is no column [nope]",
        "view: x\\nsql: |\\n  select bale\\n  from mill.bale ~ 4:8 There is no table or input [mill.bale]; did you mean [mill.bales]?",
        "view: x\\nsql: select * from view.x ~ 2:20 View [x] cannot be read: it reads itself",
        "view: x\\nsql: delete from mill.bales ~ 2:6 A query only reads",
        "view: x\\nsql: '' ~ 2:7 The query is empty",
        "view: x ~ 1:1 [sql] is missing",
        "view: x\\nsql: ~ 1:1 [sql] is missing",
        "view: second\\nsql: select 1 ~ 1:7 [second] is a word of SQL",
        "view: X y\\nsql: select 1 ~ 1:7 Invalid name [X y]",
        "view: x\\nsql: select 1\\nrows: 5 ~ 3:1 There is no [rows] here",
        "- a list ~ 1:1 A view's document must hold named values"
      })
  void saysWhatIsWrongAndWhere(String text, String expected) {
    JsonNode report =
        service.post("/api/v1/views/check", Map.of("text", text.translateEscapes())).body();
    JsonNode first = report.path("problems").path(0);

    assertFalse(report.path("sound").asBoolean());
    String said =
        "%s:%s %s"
            .formatted(
                first.path("place").path("line").asString(),
                first.path("place").path("column").asString(),
                first.path("message").asString());
    assertTrue(said.startsWith(expected), said);
  }

  @Test
  void whatOthersReadStaysAndACircleIsRefused() {
    keep("all-bales", "select bale from mill.bales");
    keep("next-bales", "select bale + 1 as bale from view.all_bales");

    assertTrue(
        service
            .client("view", "remove", "all-bales")
            .err()
            .contains("is read by the views next-bales"),
        "what reads it is named");
    JsonNode circle =
        service
            .put(
                "/api/v1/views/all-bales/query",
                Map.of("about", "", "sql", "select * from view.next_bales"))
            .body();
    assertTrue(
        circle.path("problems").path(0).path("message").asString().contains("it reads itself"),
        circle.toString());
  }

  @Test
  void theMapShowsWhatAViewReads() {
    keep("mapped", "select b.bale from mill.bales b join feed.bales f on f.bale = b.bale");
    JsonNode mapped =
        service
            .get("/api/v1/map")
            .body()
            .valueStream()
            .filter(p -> p.path("name").asString().equals("mapped"))
            .findFirst()
            .orElseThrow();
    assertEquals("view", mapped.path("kind").asString());
    assertEquals(
        List.of("table mill.bales", "feed bales"),
        mapped
            .path("from")
            .valueStream()
            .map(f -> f.path("kind").asString() + " " + f.path("name").asString())
            .toList());
  }
}

package yardage.service;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import tools.jackson.databind.JsonNode;

/** What a designer sees before anything runs: rows, profiles, trials. */
class DesignServiceTest {
  private static final String STEPS =
      """
      about: Bales by hall.
      steps:
        bales: {read: {feed: bales}}
        tidy: {from: bales, shape: {trim: [hall]}}
        heavy: {from: tidy, keep: kg > %d}
        out: {from: heavy, write: {table: %s, mode: upsert, key: [bale]}}
      """;

  private static TestService service;

  @BeforeAll
  static void start() {
    service = TestService.start();
    service.signedIn();
    service.say(
        "feed",
        "apply",
        service.file(
            "bales.yaml",
            "feed: bales\nfiles: bales/*.csv\ntext: {}\nset-aside-limit: {share: 50%}\ncolumns: {bale: int, hall: varchar, kg: int}\n"));
    StringBuilder rows = new StringBuilder("bale,hall,kg\nx,North,9\n");
    IntStream.range(0, 3000)
        .forEach(
            i -> rows.append("%d,%s,%d\n".formatted(i, i % 3 == 0 ? "North " : "East", i % 100)));
    service.put("bales/1.csv", rows.toString());
  }

  @AfterAll
  static void stop() {
    service.close();
  }

  private static String text(String name, int least) {
    return "pipeline: %s\n".formatted(name)
        + STEPS.formatted(least, "mart." + name.replace('-', '_'));
  }

  private static JsonNode look(String what, String text, String step, Map<String, Object> more) {
    Map<String, Object> body = new java.util.HashMap<>(more);
    body.put("text", text);
    body.put("step", step);
    return service.post("/api/v1/pipelines/" + what, body).body();
  }

  private static JsonNode values(
      String text, String step, Map<String, Object> more, String... expressions) {
    Map<String, Object> body = new java.util.HashMap<>(more);
    body.put("expressions", List.of(expressions));
    return look("preview/values", text, step, body);
  }

  private static JsonNode value(String text, String expression) {
    return values(text, "heavy", Map.of(), expression).get(0);
  }

  @Test
  void whatExpressionsGiveOverTheRowsBeforeAStep() {
    String text = text("values", 90);
    JsonNode all =
        values(
            text,
            "heavy",
            Map.of(),
            "kg * 2",
            "kgs + 1",
            "kg > 90",
            "count(*)",
            "",
            "row_number() over (order by kg)");
    assertEquals(3, all.get(0).path("first").size());
    assertEquals(1000, all.get(0).path("count").asInt(), "of the first rows of each source");
    assertTrue(all.get(0).path("holds").isNull() || all.get(0).path("holds").isMissingNode());
    assertEquals(
        "There is no column [kgs]; did you mean [kg]?", all.get(1).path("refused").asString());
    assertEquals("boolean", all.get(2).path("type").asString());
    assertEquals(1, all.get(3).path("count").asInt());
    assertEquals(1000, all.get(3).path("first").get(0).asInt());
    assertEquals("The expression is empty", all.get(4).path("refused").asString());
    assertEquals(1000, all.get(5).path("count").asInt());

    JsonNode heavy =
        values(text, "heavy", Map.of("sources", Map.of("bales", Map.of("share", 1.0))), "kg > 90")
            .get(0);
    JsonNode some =
        service
            .post("/api/v1/query", Map.of("sql", "select count(*) from feed.bales where kg > 90"))
            .body();
    assertEquals(some.path("rows").get(0).get(0).asLong(), heavy.path("holds").asLong());

    // One that fails at a row says so, and the others give what they give.
    JsonNode fails = values(text, "heavy", Map.of(), "kg + 1", "1 / (kg - kg)", "kg > 90");
    assertEquals(1000, fails.get(0).path("count").asInt());
    assertTrue(
        fails.get(1).path("failed").asString().contains("Division by zero"), fails.toString());
    assertEquals(value(text, "kg > 90"), fails.get(2));

    assertTrue(
        values(text, "bales", Map.of(), "1").toString().contains("No rows come into step [bales]"));
    // Parameters are named as in the document.
    String since = text.replace("steps:", "parameters: {least: {type: int, default: 90}}\nsteps:");
    assertEquals(value(text, "kg > 90").path("holds"), value(since, "kg > :least").path("holds"));
    assertEquals(
        0,
        values(since, "heavy", Map.of("parameters", Map.of("least", "900")), "kg > :least")
            .get(0)
            .path("holds")
            .asInt());
    // A step that is being written may be wrong: its input is not.
    String unsound = text.replace("keep: kg", "keep: kgs");
    assertEquals(1000, value(unsound, "kg > 1").path("count").asInt());
  }

  private static long rows(String table) {
    return service
        .post("/api/v1/query", Map.of("sql", "select count(*) from " + table))
        .body()
        .path("rows")
        .get(0)
        .get(0)
        .asLong();
  }

  private static List<String> staged() throws IOException {
    try (Stream<java.nio.file.Path> files = Files.list(service.inbox().resolveSibling("staging"))) {
      return files.map(p -> p.getFileName().toString()).toList();
    }
  }

  @Test
  void rowsOfAStepBeforeAnythingRuns() {
    String text = text("looks", 90);
    JsonNode heavy = look("preview", text, "heavy", Map.of("rows", 3));
    JsonNode whole = look("preview", text, "heavy", Map.of("rows", 3, "whole", true));
    JsonNode tidy = look("preview", text, "tidy", Map.of("rows", 2, "compared", true));
    JsonNode found = look("preview", text, "heavy", Map.of("where", "bale = 2999"));

    assertEquals(
        "[[91,\"East\",91],[92,\"East\",92],[93,\"North\",93]]", heavy.path("rows").toString());
    assertEquals(90, heavy.path("given").asLong());
    assertFalse(heavy.path("isWhole").asBoolean());
    assertEquals(
        "first 1,000 rows of bales", heavy.path("sources").get(0).path("words").asString());
    assertEquals(270, whole.path("given").asLong());
    assertTrue(whole.path("isWhole").asBoolean());
    assertTrue(whole.path("notes").get(0).asString().contains("1 rows do not fit"));
    assertEquals(
        "334 of 1,000 rows have changed values; none is taken away",
        tidy.path("comparison").path("words").asString());
    assertEquals(1, found.path("matching").asLong());
    assertEquals("[[2999,\"East\",99]]", found.path("rows").toString());
  }

  @Test
  void theClientShowsThemToo() {
    String file = service.file("seen.yaml", text("seen", 90));
    String shown = service.say("pipeline", "preview", file, "tidy", "--rows", "2");
    String some =
        service.say(
            "pipeline", "preview", file, "heavy", "--read", "bales=100", "--only", "bales=kg > 95");
    String csv = service.say("pipeline", "preview", file, "heavy", "--rows", "1", "-o", "csv");
    String compared = service.say("pipeline", "preview", file, "tidy", "--compare", "--rows", "1");

    assertTrue(shown.contains("tidy, shape. Read: first 1,000 rows of bales"), shown);
    assertTrue(some.contains("first 100 rows of bales where kg > 95"), some);
    assertEquals("bale,hall,kg\r\n91,East,91\r\n", csv);
    assertTrue(compared.contains("North· → North"), compared);
    for (List<String> wrong :
        List.of(
            List.of("nosuch", "There is no step [nosuch]; there are bales, tidy, heavy, out"),
            List.of("tidy", "--where", "kgs > 1", "did you mean [kg]?"),
            List.of("tidy", "--read", "bale=5", "Step [bale] is none that reads"),
            List.of("tidy", "--read", "bales=0", "must be 1 to 1,000,000"),
            List.of("tidy", "--read", "bales=0%", "must be above 0"),
            List.of("tidy", "--files", "bales=*.txt", "No file of feed [bales] matches [*.txt]"))) {
      List<String> command = new java.util.ArrayList<>(List.of("pipeline", "preview", file));
      command.addAll(wrong.subList(0, wrong.size() - 1));
      TestService.Said said = service.client(command.toArray(String[]::new));
      assertTrue(said.err().contains(wrong.get(wrong.size() - 1)), said.err());
    }
  }

  @Test
  void whatColumnsHold() {
    service.say("pipeline", "apply", service.file("held.yaml", text("held", 50)));
    service.say("run", "held", "--wait");
    JsonNode step = look("profile", text("held", 50), "bales", Map.of());
    JsonNode table = service.get("/api/v1/tables/mart.held/profile").body();
    JsonNode sql =
        service
            .post(
                "/api/v1/query",
                Map.of(
                    "sql",
                    "select count(distinct bale), min(kg), max(kg), count(distinct hall) from mart.held"))
            .body()
            .path("rows")
            .get(0);

    assertEquals(3000, step.path("rows").asLong());
    assertEquals(
        "shape: {trim: [hall]}",
        step.path("columns").get(1).path("findings").get(0).path("offer").asString());
    assertEquals(sql.get(0), table.path("columns").get(0).path("distinct"));
    assertEquals(sql.get(1), table.path("columns").get(2).path("smallest"));
    assertEquals(sql.get(2), table.path("columns").get(2).path("largest"));
    assertEquals(sql.get(3), table.path("columns").get(1).path("distinct"));
    String told = service.say("table", "profile", "mart.held");
    assertTrue(told.contains("all 1,470 rows of mart.held"), told);
  }

  @Test
  void aTrialTellsWhatARunWouldDo() throws IOException {
    String name = "tried";
    JsonNode first = look("trial", text(name, 50), "", Map.of());
    service.say("pipeline", "apply", service.file("tried.yaml", text(name, 50)));
    service.say("run", name, "--wait");
    service.put("bales/2.csv", "bale,hall,kg\n51,West,99\n9000,West,77\n");
    String changed = service.file("tried-2.yaml", text(name, 60));
    String said = service.say("run", changed, "--trial");
    JsonNode second = look("trial", text(name, 60), "", Map.of("examples", 10));
    long before = rows("mart.tried");
    service.say("pipeline", "apply", changed);
    service.say("run", name, "--wait");

    assertEquals(
        "mart.tried would be a new table of 1,470 rows",
        first.path("tables").get(0).path("words").asString().replaceAll(" in .*", ""));
    assertEquals(1470, before, "a trial publishes nothing");
    JsonNode table = second.path("tables").get(0);
    assertEquals(1, table.path("added").asLong());
    assertEquals(1, table.path("changed").asLong());
    assertEquals("{\"hall\":1,\"kg\":1}", table.path("changedColumns").toString());
    assertEquals(table.path("after").asLong(), rows("mart.tried"), "the run does what was said");
    assertTrue(said.contains("1 added, 1 changed"), said);
    assertTrue(said.contains("The books balance: 2 read = 2 written"), said);
    assertEquals(List.of(), staged());
    Files.delete(service.inbox().resolve("bales/2.csv"));
  }

  @Test
  void aTrialThatWouldFailSaysSo() throws IOException {
    String text =
        text("fails", 10)
            .replace("tidy, keep: kg > 10", "tidy, check: {light: {is: kg < 99, else: stop}}");
    TestService.Said said = service.client("run", service.file("fails.yaml", text), "--trial");
    JsonNode trial = look("trial", text, "", Map.of());

    assertEquals(1, said.code());
    assertTrue(said.err().contains("A run would fail. Step heavy: Rule [light]"), said.err());
    assertEquals("heavy", trial.path("failure").path("step").asString());
    assertEquals(0, trial.path("tables").size());
    assertEquals("stopped", trial.path("checks").get(0).path("outcome").asString());
    assertEquals(List.of(), staged());
    assertEquals(422, service.post("/api/v1/pipelines/trial", Map.of("text", "x")).status());
  }

  @Test
  void testsAreMadeKeptAndRun() throws IOException {
    service.say("pipeline", "apply", service.file("proved.yaml", text("proved", 50)));
    String made =
        service.say(
            "pipeline", "test", "make", "proved", "heavy", "--rows", "80", "--name", "heavy");
    String junit = service.file("results.xml", "");
    String file = service.file("heavy-test.yaml", made);
    String passed = service.say("pipeline", "test", "run", file, "--junit", junit);
    service.say("pipeline", "test", "apply", file);
    String changed = service.file("proved-2.yaml", text("proved", 60));
    TestService.Said failed =
        service.client(
            "pipeline", "test", "run", "--of", "proved", "--pipeline", changed, "--junit", junit);

    assertTrue(passed.contains("All 1 passed"), passed);
    assertEquals(1, failed.code());
    assertTrue(failed.out().contains("19 rows: 10 of 29 expected did not come"), failed.out());
    assertTrue(failed.out().contains("1 of 1 failed"), failed.out());
    String xml = Files.readString(java.nio.file.Path.of(junit));
    assertTrue(xml.contains("<testsuite name=\"yardage\" tests=\"1\" failures=\"1\">"), xml);
    assertTrue(service.say("pipeline", "test", "list").contains("proved"));
    assertEquals(made, service.say("pipeline", "test", "show", "heavy"));
    String strict = text("proved", 60).replace("about:", "tests: must-pass\nabout:");
    TestService.Said refused =
        service.client("pipeline", "apply", service.file("proved-3.yaml", strict));
    assertTrue(refused.err().contains("Test [heavy] of [proved] does not pass"), refused.err());
    service.say(
        "pipeline", "apply", service.file("proved-4.yaml", strict.replace("kg > 60", "kg > 50")));
    TestService.Said unknown =
        service.client(
            "pipeline",
            "test",
            "apply",
            service.file("lost.yaml", made.replace("of: proved", "of: nosuch")));
    assertTrue(unknown.err().contains("There is no pipeline [nosuch]"), unknown.err());
  }

  private static JsonNode edit(String what, Map<String, Object> body) {
    return service.post("/api/v1/pipelines/edit/" + what, body).body();
  }

  /**
   * A step's form by HTTP: what it says, each change one of the text, refusals with their way out.
   */
  @Test
  void fieldsAreReadAndSetStepsMovedAndPasted() {
    String text = text("edited", 90);
    JsonNode fields = edit("fields", Map.of("text", text, "step", "tidy")).path("fields");
    assertEquals("{\"from\":\"bales\",\"shape\":{\"trim\":[\"hall\"]}}", fields.toString());

    JsonNode set =
        edit(
            "set",
            Map.of(
                "text",
                text,
                "step",
                "tidy",
                "field",
                List.of("shape", "set"),
                "value",
                Map.of("tons", "kg / 1000.0")));
    assertEquals(
        text.replace("{trim: [hall]}", "{trim: [hall], set: {tons: kg / 1000.0}}"),
        set.path("text").asString());
    JsonNode source =
        edit(
            "set",
            Map.of(
                "text",
                text,
                "step",
                "tidy",
                "field",
                List.of("shape", "trim"),
                "source",
                "{of: text}"));
    assertEquals(text.replace("[hall]", "{of: text}"), source.path("text").asString());
    JsonNode gone =
        edit("set", Map.of("text", text, "step", "tidy", "field", List.of("shape", "trim")));
    assertEquals(text.replace("{trim: [hall]}", "{}"), gone.path("text").asString());
    JsonNode off =
        edit("set", Map.of("text", text, "step", "heavy", "field", List.of("off"), "value", true));
    assertTrue(
        edit(
                "set",
                Map.of(
                    "text", off.path("text").asString(), "step", "heavy", "field", List.of("off")))
            .path("text")
            .asString()
            .contains("heavy: {from: tidy, keep: kg > 90}"),
        off.toString());

    Map<String, Map<String, Object>> refused =
        Map.of(
            "There is no step [nope] in the text", Map.of("step", "nope", "field", List.of("x")),
            "Say which field of [tidy] it is", Map.of("step", "tidy", "field", List.of()),
            "cannot stand in a document",
                Map.of("step", "tidy", "field", List.of("from"), "source", "[a"));
    refused.forEach(
        (said, more) -> {
          Map<String, Object> body = new java.util.HashMap<>(more);
          body.put("text", text);
          TestService.Answer reply = service.post("/api/v1/pipelines/edit/set", body);
          assertEquals(422, reply.status());
          assertTrue(
              reply.body().path("detail").asString().contains(said), reply.body().toString());
        });

    JsonNode pasted =
        edit(
            "paste",
            Map.of(
                "text",
                "pipeline: other\nsteps: {}\n",
                "steps",
                "bales: {read: {feed: bales}}\nlight: {from: bales, keep: kg < 3}\n"));
    assertEquals("[\"bales\",\"light\"]", pasted.path("steps").toString());
    assertEquals(
        "pipeline: other\nsteps:\n  bales: {read: {feed: bales}}\n  light: {from: bales, keep: kg < 3}\n",
        pasted.path("text").asString());
  }

  /**
   * A page of answers by client and HTTP; what is kept of an answer goes with its table's state.
   */
  @Test
  void aSamplerAnswersAndAnswersAnewWhenItsTableChanges() {
    service.say(
        "feed",
        "apply",
        service.file(
            "bobbins.yaml",
            "feed: bobbins\nfiles: bobbins/*.csv\ntext: {}\ncolumns: {bale: int, hall: varchar, kg: int}\n"));
    service.put("bobbins/1.csv", "bale,hall,kg\n1,North,20\n2,East,3\n3,East,40\n4,,5\n");
    String load =
        "pipeline: bobbins\nsteps:\n  rows: {read: {feed: bobbins}}\n  out: {from: rows, write: {table: mart.halls, mode: append}}\n";
    service.say("pipeline", "apply", service.file("load.yaml", load));
    service.say("run", "bobbins", "--wait");
    String page =
        """
        sampler: bales
        over: mart.halls
        choices: {hall: {many: true}}
        blocks:
          all: {number: sum(kg), unit: kg}
          halls: {chart: bar, by: [hall], of: {kg: sum(kg), bales: count(*)}}
          heavy: {rows: [bale, kg], order: [kg desc, bale], most: 2}
          words: {text: "<script>alert(1)</script>"}
        """;
    service.say("sampler", "apply", service.file("bales.yaml", page));
    assertTrue(service.say("sampler", "list").contains("bales"));
    String csv = service.say("sampler", "ask", "bales", "halls", "-o", "csv").replace("\r\n", "\n");
    assertEquals(
        "hall,kg,bales\nEast,%s\nNorth,%s\n,5,1\n".formatted(sums("East"), sums("North")), csv);

    Map<String, Object> east =
        Map.of("sampler", "bales", "block", "all", "chosen", Map.of("hall", List.of("East")));
    JsonNode first = service.post("/api/v1/samplers/answer", east).body();
    JsonNode again = service.post("/api/v1/samplers/answer", east).body();
    assertEquals(first.path("at"), again.path("at"), "kept");
    assertEquals(
        sums("East").split(",")[0], first.path("rows").path("rows").get(0).get(0).asString());
    JsonNode values =
        service
            .post("/api/v1/samplers/answer", Map.of("sampler", "bales", "column", "hall"))
            .body();
    assertEquals("[[\"East\"],[\"North\"],[null]]", values.path("rows").path("rows").toString());

    service.put("bobbins/2.csv", "bale,hall,kg\n9000,East,1000\n");
    service.say("run", "bobbins", "--wait");
    JsonNode anew = service.post("/api/v1/samplers/answer", east).body();
    assertEquals(
        sums("East").split(",")[0], anew.path("rows").path("rows").get(0).get(0).asString());
    assertFalse(first.path("rows").equals(anew.path("rows")));

    TestService.Answer wrong =
        service.put("/api/v1/samplers/bales", Map.of("text", page.replace("sum(kg)", "sum(kgs)")));
    assertEquals(422, wrong.status());
    assertTrue(wrong.body().toString().contains("Block [all]: There is no column [kgs]"));
    TestService.Said gone =
        service.clientWithInput("", "sampler", "ask", "bales", "all", "--choose", "kg=much");
    assertTrue(gone.err().contains("[much] is no value of [kg], which is int"), gone.err());
    service.say("table", "drop", "mart.halls", "--anyway");
    TestService.Answer lost = service.post("/api/v1/samplers/answer", east);
    assertEquals(422, lost.status(), lost.body().toString());
    service.say("sampler", "remove", "bales");
    assertEquals(404, service.get("/api/v1/samplers/bales").status());
  }

  /** The sum and the count of a hall, by a query of their own. */
  private static String sums(String hall) {
    JsonNode row =
        service
            .post(
                "/api/v1/query",
                Map.of(
                    "sql",
                    "select sum(kg), count(*) from mart.halls where hall = '%s'".formatted(hall)))
            .body()
            .path("rows")
            .get(0);
    return row.get(0).asString() + "," + row.get(1).asString();
  }

  /** Steps on the shelf keep their comments, and those that are somebody's own stay so. */
  @Test
  void stepsAreKeptOnTheShelf() {
    String steps = "# blanks of the scale\ntidy:\n  from: bales\n  shape: {trim: [hall]} # all\n";
    Map<String, Object> body = Map.of("about", "It's: tidy", "steps", steps, "mine", false);
    JsonNode kept = service.put("/api/v1/shelf/tidy-up", body).body();
    assertEquals(
        "snippet: tidy-up\nabout: \"It's: tidy\"\nsteps:\n  # blanks of the scale\n  tidy:\n    from: bales\n    shape: {trim: [hall]} # all\n",
        kept.path("text").asString());
    JsonNode pasted =
        edit(
            "paste",
            Map.of(
                "text",
                text("shelved", 9),
                "steps",
                kept.path("text").asString(),
                "behind",
                "heavy"));
    assertEquals("[\"tidy_2\"]", pasted.path("steps").toString());
    assertTrue(pasted.path("text").asString().contains("    from: heavy\n"), pasted.toString());

    service.put("/api/v1/shelf/mine", Map.of("about", "", "steps", steps, "mine", true));
    assertEquals(2, service.get("/api/v1/shelf").body().size());
    TestService.Answer wrong =
        service.put("/api/v1/shelf/odd", Map.of("about", "", "steps", "hello", "mine", false));
    assertEquals(422, wrong.status());
    assertTrue(wrong.body().path("detail").asString().startsWith("There is no step in this text"));
    assertEquals(422, service.put("/api/v1/shelf/Odd%20Name", body).status());
    service.delete("/api/v1/shelf/mine");
    assertEquals(1, service.get("/api/v1/shelf").body().size());
  }
}

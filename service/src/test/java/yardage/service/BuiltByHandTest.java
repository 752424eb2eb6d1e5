package yardage.service;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static yardage.service.Chromium.button;

import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.options.AriaRole;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import tools.jackson.databind.JsonNode;

/**
 * The demo's {@code roll-inspection} built from nothing in the console: once by mouse, once by
 * keyboard. Both documents are the same to the letter, and say what the demo's own says.
 */
class BuiltByHandTest {
  private static final String HEAD =
      "pipeline: %s\nparameters:\n  since: {type: date, default: 2026-01-01}\nsteps: {}\n";
  private static final String NAMED =
      "select g.roll_id, g.woven_on, g.metres, g.grade, cardinality(g.defects) as defects, g.hall, m.mill_name, p.pattern_name, cast(g.metres * p.price_per_m as decimal(12, 2)) as cloth_value from graded g join mills m on m.mill_code = g.mill_code join patterns p on p.pattern_code = g.pattern_code";

  private static TestService service;
  private static Chromium chromium;
  private final List<String> errors = new ArrayList<>();

  @BeforeAll
  static void start() {
    service = TestService.start().signedIn();
    service.runSampleScenario(2000, 5);
    chromium = Chromium.launch();
  }

  @AfterAll
  static void stop() {
    chromium.close();
    service.close();
  }

  /** How somebody works: what is typed is typed either way. */
  private interface Hand {
    void press(Locator what);

    void choose(Locator list, String option);

    /** Puts the cursor there. */
    void enter(Locator field);

    /** Says that a field is done. */
    void leave();
  }

  private static final class Mouse implements Hand {
    private final Page page;

    Mouse(Page page) {
      this.page = page;
    }

    @Override
    public void press(Locator what) {
      what.click();
    }

    @Override
    public void choose(Locator list, String option) {
      list.selectOption(option);
    }

    @Override
    public void enter(Locator field) {
      field.click();
    }

    @Override
    public void leave() {
      page.getByText("Columns", new Page.GetByTextOptions().setExact(true)).first().click();
    }
  }

  private static final class Keys implements Hand {
    private final Page page;

    Keys(Page page) {
      this.page = page;
    }

    @Override
    public void press(Locator what) {
      // As a click does, it waits until the button can be pressed.
      assertThat(what).isEnabled();
      what.focus();
      page.keyboard().press("Enter");
    }

    @Override
    public void choose(Locator list, String option) {
      // The options are there once what they come from was fetched.
      assertThat(list).containsText(option);
      list.focus();
      page.keyboard().type(option);
      page.keyboard().press("Tab");
    }

    @Override
    public void enter(Locator field) {
      field.focus();
    }

    @Override
    public void leave() {
      page.keyboard().press("Enter");
    }
  }

  /** Builds the pipeline, step by step. */
  private record Builder(Page page, Hand hand) {

    void begin(String name) {
      page.navigate(service.server + "/pipelines/new");
      Locator document = page.getByLabel("The pipeline's document");
      hand.enter(document);
      page.keyboard().press("Control+a");
      page.keyboard().insertText(HEAD.formatted(name));
      assertThat(page.getByLabel("Rows of a table")).isVisible();
    }

    Locator bar(String step) {
      return page.getByTestId("flow")
          .getByRole(
              AriaRole.BUTTON,
              new Locator.GetByRoleOptions().setName(Pattern.compile("^" + step + ", ")));
    }

    Locator form(String step) {
      return page.getByRole(
          AriaRole.FORM, new Page.GetByRoleOptions().setName("Form of " + step).setExact(true));
    }

    Locator field(String step, String label) {
      return form(step).getByLabel(label, new Locator.GetByLabelOptions().setExact(true));
    }

    void pick(String step) {
      if (form(step).count() == 0) {
        hand.press(bar(step));
      }
      assertThat(form(step)).isVisible();
    }

    void source(String table, String step) {
      if (page.getByLabel("Rows of a table").count() == 0) {
        hand.press(button(page, "Add a source"));
      }
      hand.choose(page.getByLabel("Rows of a table"), table);
      hand.press(button(page, "Read the table"));
      assertThat(bar(step)).isVisible();
      assertThat(form(step)).isVisible();
    }

    /** Puts a step behind another one, and calls it something. */
    void add(String verb, String behind, String made, String name) {
      pick(behind);
      hand.press(button(page, "Add a step behind"));
      page.getByLabel("Search the steps").fill(verb);
      hand.press(
          page.getByRole(
              AriaRole.BUTTON,
              new Page.GetByRoleOptions().setName(Pattern.compile("^" + verb + " ?[A-Z]"))));
      named(made, name);
    }

    void join(String step, String other, String made, String name) {
      pick(step);
      hand.press(button(page, "Join with"));
      hand.choose(page.getByLabel("Join with"), other);
      hand.press(button(page, "Join it"));
      named(made, name);
    }

    private void named(String made, String name) {
      assertThat(form(made)).isVisible();
      if (!made.equals(name)) {
        hand.press(button(page, "Rename"));
        hand.enter(page.getByLabel("New name of " + made));
        page.keyboard().press("Control+a");
        page.keyboard().type(name);
        page.keyboard().press("Enter");
        assertThat(form(name)).isVisible();
      }
    }

    void open(String step, String path, String field) {
      Locator list = field(step, "Add a field to " + path);
      // The option begins with the field's name.
      if (hand instanceof Keys) {
        hand.choose(list, field + ":");
      } else {
        list.selectOption(field);
      }
    }

    void write(String step, String label, String text) {
      hand.enter(field(step, label));
      page.keyboard().press("Control+a");
      page.keyboard().type(text);
      hand.leave();
    }

    void list(String step, String label, String... names) {
      for (String name : names) {
        write(step, "Add to " + label, name);
        assertThat(button(page, "Remove %s from %s".formatted(name, label))).isVisible();
      }
    }

    void pair(String step, String label, String name, String value) {
      write(step, "New name in " + label, name);
      write(step, "Value of %s in %s".formatted(name, label), value);
      assertThat(button(page, "Remove %s from %s".formatted(name, label))).isVisible();
    }

    void remove(String what) {
      hand.press(button(page, "Remove " + what));
      assertThat(button(page, "Remove " + what)).hasCount(0);
    }

    void sql(String step, String label, String text) {
      hand.enter(field(step, label));
      page.keyboard().press("Control+a");
      page.keyboard().insertText(text);
    }

    /** Everything but the last look. */
    void build() {
      source("raw.rolls", "rolls");
      add("shape", "rolls", "tidy", "tidy");
      open("tidy", "shape", "rename");
      pair("tidy", "rename", "len_m", "metres");
      open("tidy", "shape", "set");
      pair("tidy", "set", "woven_on", "cast(woven_at as date)");
      open("tidy", "shape", "drop");
      list("tidy", "drop", "operator_note", "width_cm");

      add("keep", "tidy", "kept", "usable");
      sql("usable", "keep", "metres > 0 and woven_on >= :since");
      add("dedupe", "usable", "once", "once");
      open("once", "dedupe", "order");
      list("once", "order", "received_at");

      source("mill.looms", "looms");
      join("once", "looms", "joined", "placed");
      remove("kind");
      open("placed", "join", "take");
      list("placed", "take", "mill_code", "hall");

      source("raw.inspections", "inspections");
      add("dedupe", "inspections", "once_2", "latest");
      list("latest", "by", "roll_id");
      remove("inspection_id from by");
      open("latest", "dedupe", "order");
      list("latest", "order", "inspected_at");
      join("placed", "latest", "joined", "graded");
      remove("kind");
      open("graded", "join", "take");
      list("graded", "take", "grade", "defects");

      source("mill.mills", "mills");
      source("mill.patterns", "patterns");
      add("sql", "graded", "asked", "named");
      list("named", "from", "mills", "patterns");
      sql("named", "sql", NAMED);

      add("aggregate", "named", "grouped", "by_day");
      list("by_day", "by", "woven_on", "mill_name", "hall", "grade");
      remove("roll_id from by");
      write("by_day", "Name 1 of set", "rolls");
      assertThat(button(page, "Remove rolls from set")).isVisible();
      for (String sum : List.of("metres", "defects", "cloth_value")) {
        pair("by_day", "set", sum, "sum(%s)".formatted(sum));
      }
      add("write", "by_day", "publish", "publish");
      write("publish", "table", "mart.roll_inspection");
      hand.choose(field("publish", "mode"), "replace-partitions");
      open("publish", "write", "partition");
      list("publish", "partition", "year(woven_on)", "month(woven_on)");
    }
  }

  private String built(String name, java.util.function.Function<Page, Hand> how) {
    Page page = chromium.newPage();
    page.onPageError(errors::add);
    Chromium.signIn(page, service);
    Builder builder = new Builder(page, how.apply(page));
    builder.begin(name);
    builder.build();
    assertThat(page.getByText("Nothing is wrong with this document.").first()).isVisible();
    builder.hand().press(button(page, "Save"));
    assertThat(page).hasURL(Pattern.compile("/pipelines/" + name + "$"));
    page.close();
    return service.get("/api/v1/pipelines/" + name).body().path("text").asString();
  }

  private static JsonNode fields(String text, String step) {
    return service
        .post("/api/v1/pipelines/edit/fields", Map.of("text", text, "step", step))
        .body()
        .path("fields");
  }

  @Test
  void theDemosPipelineByMouseAndByKeyboard() {
    String byMouse = built("by-mouse", Mouse::new);
    String byKeys = built("by-keys", Keys::new);
    assertEquals(List.of(), errors);
    assertEquals(byMouse.replace("by-mouse", "by-keys"), byKeys);

    String demo = service.get("/api/v1/pipelines/roll-inspection").body().path("text").asString();
    List<String> steps = new ArrayList<>();
    service
        .post("/api/v1/pipelines/check", Map.of("text", demo))
        .body()
        .path("steps")
        .forEach(s -> steps.add(s.path("name").asString()));
    assertEquals(14, steps.size());
    for (String step : steps) {
      assertEquals(
          fields(demo, step).toString().replaceAll("(\\\\n|\\s)+", " ").replace(" \"", "\""),
          fields(byMouse, step).toString().replaceAll("(\\\\n|\\s)+", " ").replace(" \"", "\""),
          step);
    }
  }
}

package yardage.service;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static yardage.service.Chromium.button;
import static yardage.service.Chromium.tab;

import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.options.AriaRole;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.SQLException;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import yardage.demo.WeavingMills;

/** The console's pages over the whole sample scenario, each for what people come to it for. */
class ConsolePagesTest {
  private static TestService service;
  private static Chromium chromium;
  private static WeavingMills.Expected expected;
  private Page page;
  private final List<String> errors = new ArrayList<>();

  @BeforeAll
  static void start() {
    service = TestService.start().signedIn();
    expected = service.runSampleScenario(2000, 5);
    chromium = Chromium.launch();
  }

  @AfterAll
  static void stop() {
    chromium.close();
    service.close();
  }

  @BeforeEach
  void signIn() {
    page = chromium.newPage();
    page.onPageError(errors::add);
    Chromium.signIn(page, service);
  }

  @AfterEach
  void nothingWentWrongInThePage() {
    page.close();
    assertEquals(List.of(), errors);
  }

  private long lastRun(String pipeline) {
    return service
        .get("/api/v1/runs?limit=1&pipeline=" + pipeline)
        .body()
        .get(0)
        .path("id")
        .asLong();
  }

  private void open(String path) {
    page.navigate(service.server + path);
  }

  private Locator text(String words) {
    return page.getByText(words).first();
  }

  @Test
  void aJoinThatFoundLittleSaysSoAndItsStepIsPutInWithOneClick() {
    // Somebody changes the pipeline after its run: the step goes into what they left.
    String text = service.get("/api/v1/pipelines/loom-hours").body().path("text").asString();
    String changed = text.replaceFirst("\n", "\n# Counters are read by hand.\n");
    assertEquals(
        200,
        service
            .put("/api/v1/pipelines/loom-hours", Map.of("text", changed, "basedOn", 1))
            .status());
    open("/runs/" + lastRun("loom-hours"));
    String note =
        "placed matched %,d of %,d rows with looms; %,d more would match without blanks at the ends."
            .formatted(
                expected.count("hours.plain"),
                expected.count("hours.plain") + expected.count("hours.padded"),
                expected.count("hours.padded"));
    assertThat(page.getByRole(AriaRole.STATUS).first()).containsText(note);
    button(page, "See why").click();
    assertThat(text("[L-0001")).isVisible();

    button(page, "Put it in").click();

    assertThat(page).hasURL(Pattern.compile("/pipelines/loom-hours$"));
    assertThat(page.getByLabel("The pipeline's document")).containsText("from: hours_mended");
    assertThat(page.getByLabel("The pipeline's document")).containsText("read by hand.");
    assertThat(text("Nothing is wrong with this document.")).isVisible();
    button(page, "Save").click();
    assertThat(text("v3, saved")).isVisible();
    button(page, "Run").click();
    assertThat(page.locator("#step-placed"))
        .containsText(
            "%,d".formatted(expected.count("hours.plain") + expected.count("hours.padded")));
    assertThat(text("The books balance:")).isVisible();
    assertThat(page.getByText("more would match")).hasCount(0);
  }

  @Test
  void theRunOfTheStarShowsItsRulesItsDuplicatesAndEveryRow() {
    open("/runs/" + lastRun("cloth-star"));
    assertThat(page.getByTestId("flow").getByRole(AriaRole.BUTTON)).hasCount(30);
    assertThat(page.locator("#step-fact_roll"))
        .containsText("%,d".formatted(expected.count("rolls")));

    tab(page, "Rules").click();
    assertThat(text("nothing_lost")).isVisible();
    tab(page, "Duplicates").click();
    // Suppliers are merged; of rolls one line stays.
    button(page, "Look into it").nth(1).click();
    assertThat(text("stays")).isVisible();
  }

  @Test
  void ribbonsAndBarsAreReachedByKeyboard() {
    open("/runs/" + lastRun("roll-inspection"));
    Locator bar =
        page.getByRole(
            AriaRole.BUTTON, new Page.GetByRoleOptions().setName(Pattern.compile("^once, dedupe")));
    bar.focus();

    assertThat(bar).isFocused();
    assertThat(bar).hasAccessibleName(Pattern.compile("rows in, .* out, .* merged"));
    page.keyboard().press("Enter");
    assertThat(page.locator("#step-once")).isInViewport();
  }

  @Test
  void aStarIsCheckedAndItsFaultsAreNamed() {
    open("/stars/cloth");
    assertThat(text("metres_woven")).isVisible();
    open("/stars/faulty");
    button(page, "Check its rows").click();
    for (String fault : List.of("grain not unique", "text in fact", "dimension on dimension")) {
      assertThat(text(fault)).isVisible();
    }
  }

  @Test
  void feedsShowEveryIntakeAndWhatWasSetAside() {
    service.say("run", "land-reference", "--wait");
    open("/feeds");
    assertThat(page.getByLabel("Share set aside over 2 intakes").first()).isVisible();

    open("/feeds/roll-ledger");
    tab(page, "Set aside").click();
    assertThat(text("too-few-fields")).isVisible();
    assertThat(text("fields where 8 are declared")).isVisible();

    // A correction is kept, then withdrawn: the row is as it arrived.
    page.getByLabel("State").selectOption("open");
    page.getByRole(
            AriaRole.BUTTON, new Page.GetByRoleOptions().setName(Pattern.compile("^wrong-type")))
        .click();
    button(page, "correct").first().click();
    Locator record = page.getByLabel("The record");
    String arrived = record.inputValue();
    record.fill(arrived.replace("44,10", "44.10"));
    button(page, "Keep the correction").click();
    page.getByLabel("State").selectOption("corrected");
    button(page, "withdraw").click();
    assertThat(text("Taken back: 0 of the rows replayed, 1 of the rows corrected")).isVisible();
    page.getByLabel("State").selectOption("open");
    assertThat(page.getByLabel("The record")).hasValue(arrived);
  }

  @Test
  void aQueryAnswersAndAMistakeIsShownAtItsPlace() {
    open("/query");
    Locator editor = page.locator(".cm-content");
    editor.press("Control+a");
    page.keyboard()
        .insertText(
            "select loom_hall, metres_woven from cloth.rolls group by loom_hall order by 1");
    button(page, "Ask").click();
    assertThat(page.getByRole(AriaRole.CELL, new Page.GetByRoleOptions().setName("North")))
        .isVisible();
    assertThat(page.getByLabel("bar of metres_woven over loom_hall")).containsText("North");
    page.getByLabel("Kind of chart").selectOption("share");
    assertThat(page.getByLabel("share of metres_woven over loom_hall")).containsText("%");

    editor.press("Control+a");
    page.keyboard().insertText("select metrs from mart.roll_inspection");
    page.keyboard().press("Control+Enter");
    assertThat(text("did you mean [metres]?")).isVisible();
  }

  @Test
  void aTableTellsItsStatesAndComparesThem() {
    service.say("run", "land-reference", "--wait");
    open("/tables/mill.looms");
    tab(page, "snapshots").click();
    assertThat(text("land-reference, run")).isVisible();
    open("/tables/star.fact_roll");
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName(Pattern.compile("^columns")))
        .click();
    button(page, "metres").click();
    assertThat(text("roll-ledger.len_m")).isVisible();
  }

  /**
   * No page breaks a rule of WCAG 2.2 AA that axe can check, and none is wider than the window: in
   * light on a wide window, and in dark on a narrow one.
   */
  @Test
  void everyPageCanBeUsedByEverybodyAndFitsTheWindow() throws IOException {
    String axe = Files.readString(Path.of("../console/node_modules/axe-core/axe.min.js"));
    List<String> found = new ArrayList<>();
    for (boolean[] way :
        new boolean[][] {{false, false}, {true, false}, {false, true}, {true, true}}) {
      page.setViewportSize(way[0] ? 390 : 1280, 800);
      page.evaluate("t => localStorage.setItem('yardage-theme', t)", way[1] ? "night" : "linen");
      for (String path :
          List.of(
              "/",
              "/feeds",
              "/feeds/new",
              "/feeds/inspections",
              "/pipelines",
              "/pipelines/new",
              "/pipelines/begin",
              "/map",
              "/pipelines/cloth-star",
              "/pipelines/roll-inspection",
              "/runs",
              "/runs/" + lastRun("cloth-star"),
              "/tables",
              "/tables/star.dim_loom",
              "/stars",
              "/stars/cloth",
              "/samplers",
              "/samplers/cloth-week-by-week",
              "/query",
              "/account",
              "/no/such/page")) {
        open(path);
        page.locator("main h1").first().waitFor();
        if (path.equals("/pipelines/roll-inspection")) {
          page.getByTestId("flow").getByRole(AriaRole.BUTTON, bar("tidy, ")).click();
          for (String tab : List.of("profile", "before and after")) {
            tab(page, tab).click();
            page.getByLabel(tab + " of tidy").getByRole(AriaRole.ROW).nth(3).waitFor();
            look(path + " " + tab, axe, found);
          }
        } else if (path.equals("/query")) {
          button(page, "Ask").click();
          page.getByLabel("Kind of chart").waitFor();
        }
        look(path, axe, found);
      }
    }
    assertEquals(List.of(), found);
  }

  private void look(String what, String axe, List<String> found) {
    page.locator("[role=status]:has-text('Loading')")
        .first()
        .waitFor(
            new Locator.WaitForOptions()
                .setState(com.microsoft.playwright.options.WaitForSelectorState.HIDDEN));
    page.evaluate(axe);
    // A colour on its way to another is neither.
    page.evaluate(
        """
        () => Promise.all(
          document.getAnimations()
            .filter((a) => a.effect.getComputedTiming().endTime !== Infinity)
            .map((a) => a.finished.catch(() => {})))
        """);
    Object broken =
        page.evaluate(
            """
            async () => (await axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']}))
              .violations.flatMap((v) => v.nodes.map((n) => v.id + ' ' + n.target.join(' ')))
            """);
    Object wide = page.evaluate("() => document.documentElement.scrollWidth > window.innerWidth");
    if (!broken.toString().equals("[]")) {
      found.add(what + ": " + broken);
    }
    if (Boolean.TRUE.equals(wide)) {
      found.add(what + " is wider than the window");
    }
  }

  /** A file out of the way, a pause, and lists that are narrowed: all without the client. */
  @Test
  void feedsPipelinesAndListsAreHandledFromTheirPages() {
    open("/feeds/shipments");
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName(Pattern.compile("^Files")))
        .click();
    page.getByRole(
            AriaRole.BUTTON, new Page.GetByRoleOptions().setName("Quarantine").setExact(true))
        .first()
        .click();
    assertThat(text("in quarantine: put there by admin")).isVisible();
    button(page, "Give back").click();
    assertThat(page.getByText("in quarantine:")).hasCount(0);
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("Rows")).click();
    assertThat(text("The first rows of")).isVisible();

    open("/pipelines/land-yard");
    button(page, "Pause").click();
    assertThat(text("It is paused by admin")).isVisible();
    button(page, "Resume").click();
    assertThat(page.getByText("It is paused by admin")).hasCount(0);

    open("/runs");
    page.getByLabel("Pipeline").selectOption("cloth-star");
    assertThat(page.locator("tbody tr")).hasCount(1);
    page.getByLabel("State").selectOption("failed");
    assertThat(text("No run is as you ask.")).isVisible();

    open("/tables");
    page.getByLabel("Search tables").fill("dim_l");
    assertThat(page.locator("tbody tr")).hasCount(2);

    open("/query");
    page.getByRole(
            AriaRole.BUTTON, new Page.GetByRoleOptions().setName(Pattern.compile("^mill.mills")))
        .click();
    button(page, "Select its rows").click();
    button(page, "Ask").click();
    assertThat(text("6 rows in")).isVisible();
    assertThat(page.getByLabel("Asked before", new Page.GetByLabelOptions().setExact(true)))
        .containsText("SELECT * FROM mill.mills");
  }

  @Test
  void aPipelineIsDrawnAndSeenBeforeItRuns() {
    long before = lastRun("roll-inspection");
    open("/pipelines/roll-inspection");
    Locator flow = page.getByTestId("flow");
    flow.getByRole(AriaRole.BUTTON, bar("tidy, ")).click();
    assertThat(text("1,000 rows from first 1,000 of")).isVisible();

    tab(page, "before and after").click();
    assertThat(text("rows have changed values; none is taken away.")).isVisible();
    button(page, "Add a step behind").click();
    page.getByLabel("Search the steps").fill("condition");
    Locator keep =
        page.getByRole(
            AriaRole.BUTTON, new Page.GetByRoleOptions().setName(Pattern.compile("^keep")));
    assertThat(keep).isVisible();
    page.keyboard().press("Tab");
    assertThat(keep).isFocused();
    page.keyboard().press("Enter");

    assertThat(flow.getByRole(AriaRole.BUTTON, bar("kept, "))).isVisible();
    assertThat(page.getByLabel("The pipeline's document"))
        .containsText("keep: roll_id is not null");
    assertThat(text("Nothing is wrong with this document.")).isVisible();
    button(page, "Rename").click();
    page.getByLabel("New name of kept").fill("named_rolls");
    page.keyboard().press("Enter");
    assertThat(flow.getByRole(AriaRole.BUTTON, bar("named_rolls, "))).isVisible();
    button(page, "Trial run").click();
    assertThat(text("mart.roll_inspection would go from")).isVisible();
    assertEquals(before, lastRun("roll-inspection"), "a trial is no run");

    button(page, "Take out").click();
    assertThat(flow.getByRole(AriaRole.BUTTON, bar("named_rolls, "))).hasCount(0);
    for (int i = 0; i < 3; i++) {
      button(page, "Undo").click();
    }
    assertThat(button(page, "Undo")).isDisabled();
    assertThat(button(page, "Save")).isDisabled();
    button(page, "Redo").click();
    assertThat(page.getByLabel("The pipeline's document"))
        .containsText("keep: roll_id is not null");
  }

  /** Of a column: where it goes, and each kind of document that would not hold without it. */
  @Test
  void theMapSaysWhatHangsOnAColumn() {
    String halls = "view: loom-halls\nsql: select loom_hall from cloth.rolls\n";
    assertEquals(200, service.put("/api/v1/views/loom-halls", Map.of("text", halls)).status());
    open("/map?at=table:star.dim_loom");
    page.getByLabel("What hangs on its column").selectOption("hall");
    assertThat(text("It goes into no other table. Without it")).isVisible();
    for (String place : List.of("view loom-halls", "sampler cloth-week-by-week")) {
      assertThat(page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName(place)).first())
          .isVisible();
    }
    assertThat(page.getByText("Block [by_week]: There is no column").first())
        .hasText("Block [by_week]: There is no column [loom_hall]");

    open("/map?at=table:star.fact_roll");
    page.getByLabel("What hangs on its column").selectOption("grade");
    assertThat(page.getByText("rolls: There is no column [grade]").first())
        .hasText("rolls: There is no column [grade]");

    open("/map?at=table:raw.rolls");
    page.getByLabel("What hangs on its column").selectOption("len_m");
    assertThat(text("pipeline roll-inspection")).isVisible();
    assertThat(text("tidy: There is no column [len_m]")).isVisible();
    assertEquals(404, service.get("/api/v1/map/column?table=raw.rolls&column=nothing").status());
  }

  /** Steps of another document or of a mail go in as text, with names that are free here. */
  @Test
  void stepsArePastedIntoAnotherDocument() {
    open("/pipelines/roll-inspection");
    Locator flow = page.getByTestId("flow");
    button(page, "Paste steps").click();
    page.getByLabel("Steps to paste")
        .fill(
            "looms:\n  read: {table: mill.looms}\nplaced_looms:\n  from: looms\n  keep: hall is not null\n");
    assertThat(text("There is a step looms already: the pasted one becomes looms_2.")).isVisible();
    button(page, "Put in").click();
    assertThat(flow.getByRole(AriaRole.BUTTON, bar("looms_2, "))).isVisible();
    assertThat(text("Nothing reads step [placed_looms]")).isVisible();
    button(page, "Undo").click();
    assertThat(button(page, "Save")).isDisabled();
  }

  /** Down from all halls to one loom; each number is held against the same rows in MariaDB. */
  @Test
  void aSamplerIsDrilledDownAndAgreesWithTheSameRowsElsewhere() throws SQLException {
    try (RowsElsewhere rolls = RowsElsewhere.of(service)) {
      open("/samplers/cloth-week-by-week");
      Locator woven = block("Metres woven");
      assertThat(woven).containsText(rolls.metres("1 = 1"));
      block("From hall to loom").getByText("as rows").click();
      block("From hall to loom").getByText("South").click();
      assertThat(page).hasURL(Pattern.compile("\\?loom_hall=South$"));
      assertThat(woven).containsText(rolls.metres("hall = 'South'"));
      assertThat(block("Metres shipped")).containsText("not narrowed by loom_hall");

      Locator first = block("From hall to loom").locator("tbody button").first();
      assertThat(first).containsText("L-");
      String loom = first.innerText();
      first.click();
      assertThat(page).hasURL(Pattern.compile("loom_loom_code=" + loom));
      assertThat(woven).containsText(rolls.metres("hall = 'South' and loom = '" + loom + "'"));

      // The address holds all that is chosen, and the trail leads back.
      page.reload();
      assertThat(woven).containsText(rolls.metres("hall = 'South' and loom = '" + loom + "'"));
      Locator trail = page.getByLabel("Trail of place");
      trail.getByText("South").click();
      assertThat(woven).containsText(rolls.metres("hall = 'South'"));
      trail.getByText("all").click();
      assertThat(page).hasURL(Pattern.compile("/cloth-week-by-week$"));
      page.getByLabel("hall", new Page.GetByLabelOptions().setExact(true)).selectOption("East");
      page.getByLabel("hall", new Page.GetByLabelOptions().setExact(true)).selectOption("North");
      assertThat(woven).containsText(rolls.metres("hall in ('East', 'North')"));
    }
  }

  /** A hierarchy that the rows suggest is kept, and leads from a hall to its looms. */
  @Test
  void aStarIsAskedFromTheWholeToItsParts() throws SQLException {
    try (RowsElsewhere rolls = RowsElsewhere.of(service)) {
      open("/stars/cloth");
      button(page, "Keep hall, loom_code").click();
      assertThat(text("loom hall: hall › loom_code")).isVisible();

      page.getByLabel("metres woven").check();
      page.locator("summary").filter(new Locator.FilterOptions().setHasText("by loom")).click();
      page.getByLabel("hall", new Page.GetByLabelOptions().setExact(true)).check();
      Locator rows =
          page.getByRole(
              AriaRole.REGION, new Page.GetByRoleOptions().setName("Rows").setExact(true));
      assertThat(rows).containsText(rolls.sum("hall = 'North'").toPlainString());
      String south = rolls.sum("hall = 'South'").toPlainString();
      assertThat(rows).containsText(south);

      button(page, "South").click();
      Locator first = rows.locator("tbody tr").first();
      assertThat(first).containsText("L-");
      String loom = first.getByRole(AriaRole.BUTTON).innerText();
      assertThat(first)
          .containsText(rolls.sum("hall = 'South' and loom = '" + loom + "'").toPlainString());
      button(page, "loom hall: South ×").click();
      assertThat(rows).containsText(south);
    }
  }

  /** By questions alone, from a table to a fact that points to the dimensions of a star. */
  @Test
  void aFactIsBegunByQuestions() {
    open("/pipelines/begin");
    page.getByLabel("Rows of").selectOption("table raw.rolls");
    page.getByLabel("The pipeline is called").fill("begun-rolls");
    button(page, "Begin").click();
    page.getByRole(AriaRole.BUTTON, new Page.GetByRoleOptions().setName(Pattern.compile("^Put ")))
        .click();
    button(page, "Keep one row of each").click();
    button(page, "Go on without").click();
    page.getByLabel("a fact of a star").check();
    page.getByLabel("star.dim_loom by loom_code").check();
    page.getByLabel("star.dim_day by woven_at").check();
    page.getByLabel("The time at which it happened").selectOption("woven_at");
    page.getByRole(AriaRole.REGION, new Page.GetByRoleOptions().setName("Numbers to measure"))
        .getByLabel("len_m")
        .check();
    page.getByLabel("Its table").fill("star.fact_begun");
    button(page, "Make the fact").click();
    button(page, "Write it").click();
    button(page, "Save and run").click();
    assertThat(page).hasURL(Pattern.compile("/runs/\\d+$"));
    assertThat(text("succeeded").first()).isVisible();
    assertEquals(
        service
            .client(
                "query",
                "select count(distinct roll_id) as rolls, 0 as lost from raw.rolls",
                "-o",
                "json")
            .out(),
        service
            .client(
                "query",
                "select count(*) as rolls, count(*) - count(d.day_key) as lost from star.fact_begun f left join star.dim_day d on d.day_key = f.day_key",
                "-o",
                "json")
            .out());
  }

  private Locator block(String title) {
    return page.getByRole(
        AriaRole.REGION, new Page.GetByRoleOptions().setName(title).setExact(true));
  }

  private static Locator.GetByRoleOptions bar(String begins) {
    return new Locator.GetByRoleOptions().setName(Pattern.compile("^" + begins));
  }

  @Test
  void anEditorCanBeLeftByKeyboardAndSaysHow() {
    open("/pipelines/roll-inspection");
    Locator editor = page.getByLabel("The pipeline's document");
    editor.focus();
    page.keyboard().press("Tab");
    assertThat(editor).isFocused();
    assertThat(text("Escape, then Tab, leaves the editor.")).isVisible();

    page.keyboard().press("Escape");
    page.keyboard().press("Tab");

    assertThat(editor).not().isFocused();
    assertThat(page).hasTitle("roll-inspection · Yardage");
  }

  @Test
  void everythingIsFoundByItsName() throws IOException {
    open("/tables");
    page.locator("main h1").first().waitFor();
    page.keyboard().press("Control+k");
    page.getByRole(AriaRole.COMBOBOX).fill("roll");
    assertThat(page.getByRole(AriaRole.OPTION).first()).hasText("pipelineroll-inspection");
    List<String> broken = new ArrayList<>();
    look("find", Files.readString(Path.of("../console/node_modules/axe-core/axe.min.js")), broken);
    page.keyboard().press("ArrowDown");
    page.keyboard().press("Enter");

    assertThat(page).hasURL(Pattern.compile("/feeds/roll-ledger$"));
    page.keyboard().press("Control+k");
    assertThat(page.getByRole(AriaRole.COMBOBOX)).isFocused();
    page.keyboard().press("Escape");
    assertThat(page.getByRole(AriaRole.DIALOG)).hasCount(0);
    assertEquals(List.of(), broken);
  }

  @Test
  void aTableSaysWhatItsColumnsHold() {
    open("/tables/raw.rolls");
    tab(page, "profile").click();

    assertThat(page.getByRole(AriaRole.LIST, new Page.GetByRoleOptions().setName("What is odd")))
        .containsText("have blanks at an end");
    assertThat(page.getByLabel("Spread of width_cm")).isVisible();
  }
}

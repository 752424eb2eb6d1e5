package yardage.service;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static yardage.service.Chromium.button;

import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.options.AriaRole;
import com.microsoft.playwright.options.FilePayload;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;
import java.util.regex.Pattern;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import yardage.demo.WeavingMills;

/** The console in headless Chromium, as a person uses it, on the sample scenario. */
class ConsoleTest {
  private static TestService service;
  private static Chromium chromium;
  private static WeavingMills.Expected expected;

  @BeforeAll
  static void start() throws IOException {
    service = TestService.start();
    chromium = Chromium.launch();
    expected = WeavingMills.write(service.inbox(), 3000, 3);
  }

  @AfterAll
  static void stop() {
    chromium.close();
    service.close();
  }

  @Test
  void aPersonSignsInMendsADocumentRunsItAndReadsTheBooks() {
    Page page = chromium.newPage();
    List<String> errors = new ArrayList<>();
    page.onPageError(errors::add);

    // The one-time password must be changed first.
    page.navigate(service.server + "/");
    page.getByLabel("Password").fill(service.oneTimePassword);
    button(page, "Sign in").click();
    page.getByLabel("The one-time password").fill(service.oneTimePassword);
    page.getByLabel("New password").fill(TestService.PASSWORD);
    button(page, "Set password").click();
    assertThat(page.getByRole(AriaRole.HEADING, new Page.GetByRoleOptions().setName("Overview")))
        .isVisible();
    assertThat(page.getByText("First steps")).isVisible();

    // Feeds and the pipelines before come from the client.
    service.clientWithInput(TestService.PASSWORD + "\n", "sign-in", "--password-stdin");
    for (String feed : List.of("mills", "looms", "patterns", "roll-ledger", "inspections")) {
      service.client(
          "feed",
          "apply",
          service.file(feed + ".yaml", TestService.demoDocument("feeds/" + feed + ".yaml")));
    }
    for (String pipeline : List.of("land-reference", "land-ledger")) {
      service.client(
          "pipeline",
          "apply",
          service.file(
              pipeline + ".yaml", TestService.demoDocument("pipelines/" + pipeline + ".yaml")));
      assertEquals(0, service.client("run", pipeline, "--wait").code());
    }

    // A new pipeline with a mistake: it is told in words, at its place, and cannot be saved;
    // mended, it can.
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("Pipelines").setExact(true))
        .click();
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("New pipeline")).click();
    write(
        page,
        TestService.demoDocument("pipelines/roll-inspection.yaml")
            .replace("metres > 0", "metrs > 0"));
    assertThat(page.getByLabel("Problems"))
        .containsText("line 22, step usable: There is no column [metrs]; did you mean [metres]?");
    assertThat(button(page, "Save")).isDisabled();
    write(page, TestService.demoDocument("pipelines/roll-inspection.yaml"));
    assertThat(page.getByText("Nothing is wrong with this document.")).isVisible();
    Locator flow = page.getByTestId("flow");
    assertThat(
            flow.getByRole(
                AriaRole.BUTTON,
                new Locator.GetByRoleOptions().setName(Pattern.compile("^\\w+, \\w+"))))
        .hasCount(14);
    assertThat(flow.getByText("Put a step between")).hasCount(13);
    button(page, "Save").click();
    assertThat(page).hasURL(Pattern.compile("/pipelines/roll-inspection$"));

    // The run's page follows it to its end; the account and the ribbons show the rows.
    button(page, "Run").click();
    assertThat(page).hasURL(Pattern.compile("/runs/3$"));
    assertThat(page.getByText("succeeded")).isVisible();
    String merged = "%,d".formatted(expected.count("merged"));
    assertThat(page.locator("#step-once")).containsText(merged);
    assertThat(page.getByTestId("flow")).containsText(merged + "merged");
    assertThat(
            page.getByRole(
                AriaRole.BUTTON,
                new Page.GetByRoleOptions().setName(Pattern.compile("^once, dedupe"))))
        .hasAccessibleName(Pattern.compile("%s merged".formatted(merged)));
    assertThat(page.getByText("The books balance:")).isVisible();
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("Document")).click();
    assertThat(page.locator("pre")).containsText("# Loom codes come with blanks behind them");

    // Rows that were set aside are shown as they arrived.
    page.navigate(service.server + "/runs/2");
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName(Pattern.compile("Set aside")))
        .click();
    assertThat(page.getByText("is not a valid decimal(9, 2)").first()).isVisible();

    // The table: partitions, snapshots, and blanks made visible in the raw one.
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("Tables").setExact(true))
        .click();
    page.getByRole(AriaRole.LINK, new Page.GetByRoleOptions().setName("roll_inspection")).click();
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("partitions")).click();
    assertThat(page.getByText("year=2026/month=2")).isVisible();
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("snapshots")).click();
    assertThat(page.getByText("roll-inspection, run 3")).isVisible();
    page.navigate(service.server + "/tables/raw.rolls");
    assertThat(
            page.locator(
                    "td",
                    new Page.LocatorOptions().setHasText(Pattern.compile("^L-\\d{4}\u00b7+$")))
                .first())
        .isVisible();

    // The story of its rows, and what a column is made of.
    page.navigate(service.server + "/tables/mart.roll_inspection");
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("follow a row")).click();
    page.getByLabel("The row with").fill("hall=North");
    button(page, "Follow").click();
    assertThat(page.getByText("ended in mart.roll_inspection")).isVisible();
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName(Pattern.compile("^columns")))
        .click();
    button(page, "defects").click();
    assertThat(page.getByText("= sum(defects)")).isVisible();

    // A join that was looked into, from the run's page.
    page.navigate(service.server + "/runs/3");
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("Joins")).click();
    button(page, "Look into it").first().click();
    assertThat(page.getByText("Nothing that is known to keep keys apart")).isVisible();

    // Files that are dropped become a feed: proposed, changed beside what it reads, and kept.
    page.navigate(service.server + "/feeds/new");
    page.getByLabel("Files")
        .setInputFiles(
            new FilePayload(
                "pallets.csv",
                "text/csv",
                "pallet;m\n 01 ;5\n02;7\n03;8\n".getBytes(StandardCharsets.UTF_8)));
    assertThat(page.locator("td", new Page.LocatorOptions().setHasText("in the inbox")))
        .isVisible();
    assertThat(page.getByLabel("Raw text")).containsText("02;7");
    assertThat(page.getByLabel("Parsed rows").locator("tbody tr")).hasCount(3);
    page.getByLabel("Type of m").selectOption("date");
    assertThat(page.getByText("line 3 would be set aside: m: wrong-type")).isVisible();
    assertThat(page.getByLabel("Parsed rows").locator("tbody tr")).hasCount(0);
    page.getByLabel("Type of m").selectOption("bigint");
    assertThat(page.getByLabel("Parsed rows").locator("tbody tr")).hasCount(3);
    button(page, "Keep the feed").click();
    page.getByRole(AriaRole.STATUS).getByRole(AriaRole.LINK).first().click();
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName(Pattern.compile("^Files")))
        .click();
    assertThat(
            page.getByRole(
                AriaRole.CELL, new Page.GetByRoleOptions().setName("uploads/pallets.csv")))
        .isVisible();

    // A feed's rows that were set aside, and its versions.
    page.navigate(service.server + "/feeds/roll-ledger");
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName("Set aside")).click();
    assertThat(page.getByText("too-few-fields").first()).isVisible();
    page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName(Pattern.compile("^Versions")))
        .click();
    assertThat(
            page.getByRole(
                AriaRole.BUTTON, new Page.GetByRoleOptions().setName(Pattern.compile("^v1 admin"))))
        .isVisible();

    // Light and dark, and out again.
    button(page, "Dark").click();
    assertEquals("night", page.evaluate("document.documentElement.dataset.theme"));
    button(page, "Sign out").click();
    assertThat(button(page, "Sign in")).isVisible();
    assertEquals(List.of(), errors);
  }

  private static void write(Page page, String text) {
    // By keys, as a person does: the editor may not have seen yet what a script selects.
    page.getByLabel("The pipeline's document").press("Control+a");
    page.keyboard().insertText(text);
  }
}

package yardage.service;

import static com.microsoft.playwright.assertions.PlaywrightAssertions.assertThat;

import com.microsoft.playwright.Browser;
import com.microsoft.playwright.BrowserType;
import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.Playwright;
import com.microsoft.playwright.assertions.PlaywrightAssertions;
import com.microsoft.playwright.options.AriaRole;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;

/** The machine's own Chromium, headless, driven through the installed Node. */
record Chromium(Playwright playwright, Browser browser) implements AutoCloseable {
  /**
   * How long a page may take. A wait ends as soon as what it waits for is there: only a fault, or a
   * very slow machine, comes this far.
   */
  private static final Duration PATIENCE = Duration.ofMinutes(2);

  static Chromium launch() {
    PlaywrightAssertions.setDefaultAssertionTimeout(PATIENCE.toMillis());
    try {
      return start();
    } catch (IOException | InterruptedException e) {
      throw new AssertionError("Chromium does not start", e);
    }
  }

  private static Chromium start() throws IOException, InterruptedException {
    // The driver is the installed Node with the driver's npm package, so that nothing downloads a
    // browser or a runtime.
    Path driver = Path.of("target/playwright").toAbsolutePath();
    if (!Files.exists(driver.resolve("package/package.json"))) {
      Files.createDirectories(driver);
      Process npm =
          new ProcessBuilder(
                  "npm",
                  "install",
                  "--no-audit",
                  "--no-fund",
                  "--silent",
                  "--prefix",
                  driver.toString(),
                  "playwright-core@1.62.0")
              .redirectErrorStream(true)
              .redirectOutput(driver.resolve("npm.log").toFile())
              .start();
      if (!npm.waitFor(180, TimeUnit.SECONDS) || npm.exitValue() != 0) {
        throw new AssertionError("npm install playwright-core failed");
      }
      Files.createSymbolicLink(
          driver.resolve("package"), driver.resolve("node_modules/playwright-core"));
      Process which = new ProcessBuilder("sh", "-c", "command -v node").start();
      Files.createSymbolicLink(
          driver.resolve("node"),
          Path.of(new String(which.getInputStream().readAllBytes()).strip()).toRealPath());
    }
    System.setProperty("playwright.cli.dir", driver.toString());
    Playwright playwright =
        Playwright.create(
            new Playwright.CreateOptions().setEnv(Map.of("PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD", "1")));
    Browser browser =
        playwright
            .chromium()
            .launch(
                new BrowserType.LaunchOptions()
                    .setExecutablePath(Path.of("/usr/bin/chromium"))
                    .setArgs(
                        List.of(
                            "--headless",
                            "--no-sandbox",
                            "--disable-gpu",
                            "--disable-quic",
                            "--no-first-run",
                            "--disable-background-networking",
                            "--disable-component-update",
                            "--disable-sync")));
    return new Chromium(playwright, browser);
  }

  Page newPage() {
    Page page = browser.newPage(new Browser.NewPageOptions().setViewportSize(1280, 800));
    page.setDefaultTimeout(PATIENCE.toMillis());
    return page;
  }

  /** Signs the administrator in; the page is the overview then. */
  static void signIn(Page page, TestService service) {
    page.navigate(service.server + "/");
    page.getByLabel("Password").fill(TestService.PASSWORD);
    button(page, "Sign in").click();
    assertThat(page.getByRole(AriaRole.HEADING, new Page.GetByRoleOptions().setName("Overview")))
        .isVisible();
  }

  static Locator button(Page page, String name) {
    return page.getByRole(
        AriaRole.BUTTON, new Page.GetByRoleOptions().setName(name).setExact(true));
  }

  static Locator tab(Page page, String name) {
    return page.getByRole(AriaRole.TAB, new Page.GetByRoleOptions().setName(name));
  }

  @Override
  public void close() {
    browser.close();
    playwright.close();
  }
}

package yardage.service;

import com.microsoft.playwright.Locator;
import com.microsoft.playwright.Page;
import com.microsoft.playwright.options.AriaRole;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;

/**
 * What the console takes in headless Chromium, without a graphics card: a measurement, which no
 * build runs. {@code ./yardage bench console} does.
 */
class ConsoleBench {
  private static final int LANES = 10;
  private static final int STEPS = 200;
  private static final int ROUNDS = 5;

  /** Counts frames, and the longest time between two, while something is done. */
  private static final String COUNT =
      """
      () => {
        const seen = { frames: 0, longest: 0, begin: performance.now(), last: performance.now(), on: true }
        window.seen = seen
        const tick = (now) => {
          seen.frames++
          seen.longest = Math.max(seen.longest, now - seen.last)
          seen.last = now
          if (seen.on) requestAnimationFrame(tick)
        }
        requestAnimationFrame(tick)
      }
      """;

  private static final String COUNTED =
      "() => { const s = window.seen; s.on = false; return [1000 * s.frames / (performance.now() - s.begin), s.longest] }";

  /** Scrolls a part of the page for a second, a row a frame. */
  private static final String SCROLL =
      """
      (e) => new Promise((done) => {
        const end = performance.now() + 1000
        const tick = () => {
          e.scrollTop += 28
          performance.now() < end ? requestAnimationFrame(tick) : done(null)
        }
        requestAnimationFrame(tick)
      })
      """;

  @Test
  void measures() {
    try (TestService service = TestService.start().signedIn();
        Chromium chromium = Chromium.launch()) {
      service.runSampleScenario(2000, 5);
      Page page = chromium.newPage();
      long[] script = new long[1];
      page.onResponse(
          r -> {
            if (r.url().endsWith(".js")) {
              script[0] += gzipped(r.body());
            }
          });
      Chromium.signIn(page, service);
      System.out.printf("%nfirst load: %,d bytes of JavaScript, gzipped%n", script[0]);
      routes(service, page);
      flow(service, page);
      grid(service, page);
    }
  }

  private static int gzipped(byte[] bytes) {
    ByteArrayOutputStream out = new ByteArrayOutputStream();
    try (GZIPOutputStream gzip = new GZIPOutputStream(out)) {
      gzip.write(bytes);
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return out.size();
  }

  private static void say(String what, List<double[]> rounds) {
    List<Double> rates = new ArrayList<>(rounds.stream().map(r -> r[0]).toList());
    List<Double> longest = new ArrayList<>(rounds.stream().map(r -> r[1]).toList());
    Collections.sort(rates);
    Collections.sort(longest);
    System.out.printf(
        "%-52s %5.1f frames a second, the longest took %4.0f ms%n",
        what, rates.get(rates.size() / 2), longest.get(longest.size() / 2));
  }

  private static double[] counted(Page page, Runnable work) {
    page.evaluate(COUNT);
    work.run();
    List<?> seen = (List<?>) page.evaluate(COUNTED);
    return new double[] {
      ((Number) seen.get(0)).doubleValue(), ((Number) seen.get(1)).doubleValue()
    };
  }

  /** From a click to the title of the page, with everything fetched before. */
  private static void routes(TestService service, Page page) {
    for (String route :
        List.of("Feeds", "Pipelines", "Runs", "Tables", "Stars", "Samplers", "Query")) {
      List<Double> times = new ArrayList<>();
      for (int i = 0; i <= ROUNDS; i++) {
        page.navigate(service.server + "/");
        Locator link =
            page.getByRole(
                AriaRole.LINK, new Page.GetByRoleOptions().setName(route).setExact(true));
        Locator title =
            page.getByRole(
                AriaRole.HEADING, new Page.GetByRoleOptions().setName(route).setExact(true));
        link.hover();
        long begin = System.nanoTime();
        link.click();
        title.first().waitFor();
        if (i > 0) {
          times.add((System.nanoTime() - begin) / 1e6);
        }
      }
      Collections.sort(times);
      System.out.printf("route %-12s %4.0f ms to its title%n", route, times.get(ROUNDS / 2));
    }
  }

  private static String pipeline() {
    StringBuilder text = new StringBuilder("pipeline: long\nsteps:\n");
    for (int lane = 0; lane < LANES; lane++) {
      text.append("  read_%d: {read: {table: raw.rolls}}\n".formatted(lane));
      String from = "read_" + lane;
      for (int s = 2; s < STEPS / LANES; s++) {
        String name = "kept_%d_%d".formatted(lane, s);
        text.append("  %s: {from: %s, keep: len_m > %d}\n".formatted(name, from, s));
        from = name;
      }
      text.append(
          "  write_%d: {from: %s, write: {table: mart.long_%d, mode: replace}}\n"
              .formatted(lane, from, lane));
    }
    return text.toString();
  }

  /** Steps are picked, a condition is typed, and a step is added and taken back. */
  private static void flow(TestService service, Page page) {
    service.put("/api/v1/pipelines/long", Map.of("text", pipeline()));
    page.navigate(service.server + "/pipelines/long");
    Locator flow = page.getByTestId("flow");
    Locator bars = flow.getByRole(AriaRole.BUTTON);
    bars.first().waitFor();
    List<double[]> picking = new ArrayList<>();
    List<double[]> typing = new ArrayList<>();
    List<double[]> adding = new ArrayList<>();
    for (int round = 0; round < ROUNDS; round++) {
      String first = "kept_%d_4".formatted(round);
      String second = "kept_%d_7".formatted(round + 1);
      picking.add(
          counted(
              page,
              () -> {
                bar(flow, second).dispatchEvent("click");
                page.waitForTimeout(500);
                bar(flow, first).dispatchEvent("click");
                page.waitForTimeout(1000);
              }));
      Locator form =
          page.getByRole(AriaRole.FORM, new Page.GetByRoleOptions().setName("Form of " + first));
      form.getByLabel("keep", new Locator.GetByLabelOptions().setExact(true)).click();
      page.keyboard().press("Control+a");
      typing.add(
          counted(
              page,
              () ->
                  page.keyboard()
                      .type(
                          "len_m > 4 and width_cm > 100 and roll_id is not null",
                          new com.microsoft.playwright.Keyboard.TypeOptions().setDelay(60))));
      Locator document = page.getByLabel("The pipeline's document");
      document.waitFor();
      adding.add(
          counted(
              page,
              () -> {
                page.evaluate("() => document.activeElement.blur()");
                page.waitForTimeout(500);
                Chromium.button(page, "Add a step behind").click();
                page.getByLabel("Search the steps").fill("condition");
                page.getByRole(
                        AriaRole.BUTTON,
                        new Page.GetByRoleOptions().setName(Pattern.compile("^keep ?[A-Z]")))
                    .click();
                bar(flow, "kept, ").waitFor();
                page.waitForTimeout(500);
                Chromium.button(page, "Undo").click();
                page.waitForTimeout(500);
              }));
    }
    say("flow of %d steps, steps are picked".formatted(STEPS), picking);
    say("flow of %d steps, a condition is typed".formatted(STEPS), typing);
    say("flow of %d steps, a step is added and undone".formatted(STEPS), adding);
  }

  private static Locator bar(Locator flow, String begins) {
    return flow.getByRole(
            AriaRole.BUTTON,
            new Locator.GetByRoleOptions()
                .setName(Pattern.compile("^" + begins + "\\b|^" + begins)))
        .first();
  }

  private static void grid(TestService service, Page page) {
    page.navigate(service.server + "/query");
    page.getByLabel("SQL").click();
    page.keyboard().press("Control+a");
    page.keyboard().type("select r.*, c.day_key from raw.rolls r, star.dim_day c");
    page.keyboard().press("Escape");
    page.getByLabel("at most").selectOption("1000000");
    Chromium.button(page, "Ask").click();
    Locator rows =
        page.getByRole(AriaRole.REGION, new Page.GetByRoleOptions().setName("Rows").setExact(true));
    rows.waitFor();
    List<double[]> rounds = new ArrayList<>();
    for (int round = 0; round < ROUNDS; round++) {
      rounds.add(counted(page, () -> rows.evaluate(SCROLL)));
    }
    say(
        "grid of %s rows, scrolled"
            .formatted(rows.getByRole(AriaRole.TABLE).getAttribute("aria-rowcount")),
        rounds);
  }
}

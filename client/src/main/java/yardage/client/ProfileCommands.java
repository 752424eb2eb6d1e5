package yardage.client;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;

/** What columns hold: of a step before anything runs, and of a table. */
final class ProfileCommands {
  private static final String BARS = " ▁▂▃▄▅▆▇█";

  private ProfileCommands() {}

  @Command(
      name = "profile",
      description = {
        "Show what a step's columns hold, before anything runs: how many values, which, what is odd.",
        "The first 100,000 rows of each source are read."
      })
  static final class OfStep implements Callable<Integer> {
    @ParentCommand DocumentCommands.Noun noun;
    @Mixin DocumentCommands.Format output;

    @Parameters(
        index = "0",
        paramLabel = "FILE|PIPELINE",
        description = "A document, or the name of a pipeline that is kept.")
    String of;

    @Parameters(index = "1", paramLabel = "STEP")
    String step;

    @Mixin SourceOptions sources;

    @Override
    public Integer call() {
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("text", PreviewCommand.text(noun.main().api(), of));
      body.put("step", step);
      sources.into(body);
      print(output.format, noun.main().api().post("/pipelines/profile", body));
      return ExitCode.DONE;
    }
  }

  @Command(
      name = "profile",
      description = "Show what a table's columns hold: how many values, which, what is odd.")
  static final class OfTable implements Callable<Integer> {
    @ParentCommand TableCommands.Table table;
    @Mixin DocumentCommands.Format output;

    @Parameters(paramLabel = "TABLE")
    String name;

    @Override
    public Integer call() {
      print(output.format, table.main.api().get("/tables/" + Api.encoded(name) + "/profile"));
      return ExitCode.DONE;
    }
  }

  private static void print(Output.Format format, JsonNode profile) {
    long rows = profile.path("rows").asLong();
    Listing list =
        new Listing()
            .text("column", "name")
            .text("type", "type")
            .share("null", c -> c.path("nulls").asLong(), c -> rows)
            .text("values", ProfileCommands::distinct, c -> c.path("distinct").asString())
            .text("smallest", c -> shown(c.path("smallest"), 24), c -> exact(c.path("smallest")))
            .text("median", c -> shown(median(c), 24), c -> exact(median(c)))
            .text("largest", c -> shown(c.path("largest"), 24), c -> exact(c.path("largest")))
            .text("spread", ProfileCommands::spread, c -> "")
            .text("commonest", c -> commonest(c, rows), c -> exact(c.at("/commonest/0/value")));
    if (format == Output.Format.table) {
      System.out.println(
          "%s: %s"
              .formatted(
                  profile.path("of").asString(),
                  String.join(
                      "; ",
                      profile.path("sources").valueStream().map(JsonNode::asString).toList())));
    }
    list.print(format, format == Output.Format.json ? profile : profile.path("columns"));
    if (format == Output.Format.table) {
      profile.path("notes").forEach(n -> System.out.println("Note: " + n.asString()));
      for (JsonNode column : profile.path("columns")) {
        for (JsonNode finding : column.path("findings")) {
          String offer = finding.path("offer").asString("");
          System.out.println(
              "%s: %s%s"
                  .formatted(
                      column.path("name").asString(),
                      finding.path("words").asString(),
                      offer.isEmpty() ? "" : "  ->  " + offer));
        }
      }
      System.out.println(
          "%s rows in %s"
              .formatted(
                  Output.number(rows), Output.millis(profile.path("elapsedMillis").asLong())));
    }
  }

  private static String distinct(JsonNode column) {
    return (column.path("isExact").asBoolean() ? "" : "about ")
        + Output.number(column.path("distinct").asLong());
  }

  private static JsonNode median(JsonNode column) {
    return column.path("quantiles").path(2);
  }

  private static String exact(JsonNode value) {
    return value.isMissingNode() || value.isNull() ? "" : value.asString();
  }

  private static String shown(JsonNode value, int most) {
    String text = Output.visible(exact(value));
    return text.length() <= most ? text : text.substring(0, most - 1) + "…";
  }

  /** The histogram as a line of small bars. */
  private static String spread(JsonNode column) {
    List<Long> counts =
        column.path("histogram").valueStream().map(b -> b.path("count").asLong()).toList();
    long most = counts.stream().mapToLong(Long::longValue).max().orElse(0);
    StringBuilder out = new StringBuilder();
    for (long n : counts) {
      int height = most == 0 ? 0 : (int) Math.ceil(8.0 * n / most);
      out.append(BARS.charAt(height));
    }
    return out.toString();
  }

  private static String commonest(JsonNode column, long rows) {
    JsonNode first = column.path("commonest").path(0);
    if (first.isMissingNode() || first.path("count").asLong() < 2) {
      return "";
    }
    return String.format(
        Locale.ROOT,
        "%s (%.1f %%)",
        shown(first.path("value"), 24),
        100.0 * first.path("count").asLong() / rows);
  }
}

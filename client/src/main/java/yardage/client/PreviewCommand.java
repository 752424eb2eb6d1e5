package yardage.client;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.ParentCommand;
import tools.jackson.databind.JsonNode;
import yardage.client.Output.Heading;

/** Rows of a step before anything runs. */
@Command(
    name = "preview",
    description = {
      "Show rows that a step gives, before anything runs; nothing is written.",
      "The first 1,000 rows of each source are read, and 100,000 of one that others look up in."
    })
final class PreviewCommand implements Callable<Integer> {

  private static final Map<String, String> LEAVING = new LinkedHashMap<>();

  static {
    LEAVING.put("setAside", "set aside");
    LEAVING.put("merged", "merged");
    LEAVING.put("filtered", "filtered");
    LEAVING.put("unmatched", "unmatched");
  }

  @ParentCommand DocumentCommands.Noun noun;
  @Mixin DocumentCommands.Format output;

  @Parameters(
      index = "0",
      paramLabel = "FILE|PIPELINE",
      description = "A document, or the name of a pipeline that is kept.")
  String of;

  @Parameters(index = "1", paramLabel = "STEP")
  String step;

  @Option(
      names = "--rows",
      description = "How many are shown (default: ${DEFAULT-VALUE}).",
      defaultValue = "20")
  int rows;

  @Option(
      names = "--where",
      paramLabel = "CONDITION",
      description = "Only rows that meet it, over the step's columns; sources are read whole.")
  String where;

  @Option(
      names = "--compare",
      description = "Show the rows before the step: those that it changes or takes away.")
  boolean compare;

  @Mixin SourceOptions sources;

  @Override
  public Integer call() {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("text", text(noun.main().api(), of));
    body.put("step", step);
    body.put("rows", rows);
    body.put("compared", compare);
    sources.into(body);
    if (where != null) {
      body.put("where", where);
    }
    JsonNode preview = noun.main().api().post("/pipelines/preview", body);
    if (output.format == Output.Format.json) {
      Terminal.data().println(preview.toPrettyString());
    } else if (output.format == Output.Format.csv) {
      Printing.rows(output.format, preview, false);
    } else if (compare) {
      compare(preview);
    } else {
      tell(preview);
    }
    return ExitCode.DONE;
  }

  /** The text of a file, or of a pipeline that is kept. */
  static String text(Api api, String of) {
    Path file = Path.of(of);
    if (Files.exists(file) || of.contains("/") || of.contains(".")) {
      return DocumentCommands.read(file);
    }
    return api.get("/pipelines/" + Api.encoded(of)).path("text").asString();
  }

  private static void tell(JsonNode preview) {
    List<Heading> headings = new ArrayList<>();
    preview
        .path("columns")
        .forEach(
            c -> {
              String name = c.path("name").asString() + mark(c.path("change").asString());
              headings.add(Heading.of(name, c.path("type").asString()));
            });
    List<List<String>> values = new ArrayList<>();
    for (JsonNode row : preview.path("rows")) {
      values.add(row.valueStream().map(Printing::shown).toList());
    }
    System.out.println(
        "%s, %s. Read: %s"
            .formatted(
                preview.path("step").asString(),
                preview.path("verb").asString(),
                String.join(
                    "; ",
                    preview
                        .path("sources")
                        .valueStream()
                        .map(s -> s.path("words").asString())
                        .toList())));
    Output.table(System.out, headings, values);
    preview.path("notes").forEach(n -> System.out.println("Note: " + n.asString()));
    if (preview.path("columns").valueStream().anyMatch(c -> changed(c.path("change").asString()))) {
      System.out.println("+ new column   ~ of another type than before");
    }
    if (!preview.path("lost").isEmpty()) {
      System.out.println("No longer there: " + Output.words(preview.path("lost")));
    }
    String left = left(preview);
    if (!left.isEmpty()) {
      System.out.println("Left at this step: " + left);
    }
    System.out.println(count(preview, values.size()));
  }

  /** The rows that came to the step and do not go on. */
  private static String left(JsonNode preview) {
    List<String> out = new ArrayList<>();
    for (JsonNode counts : preview.path("account")) {
      if (counts.path("step").asString().equals(preview.path("step").asString())) {
        LEAVING.forEach(
            (field, word) -> {
              long n = counts.path(field).asLong();
              if (n > 0) {
                out.add("%s %s".formatted(Output.number(n), word));
              }
            });
      }
    }
    return String.join(", ", out);
  }

  /** The rows that the step changes, as they were and as they are; and those that it takes away. */
  private static void compare(JsonNode preview) {
    JsonNode comparison = preview.path("comparison");
    if (!comparison.isObject()) {
      System.out.println("A step that reads has no rows before it");
      return;
    }
    List<String> after =
        preview.path("columns").valueStream().map(c -> c.path("name").asString()).toList();
    List<Heading> headings = new ArrayList<>(List.of(Heading.right("row"), Heading.left("what")));
    comparison.path("columns").forEach(c -> headings.add(Heading.left(c.path("name").asString())));
    List<List<String>> rows = new ArrayList<>();
    for (JsonNode row : comparison.path("rows")) {
      List<String> changed = row.path("changed").valueStream().map(JsonNode::asString).toList();
      boolean stays = row.path("after").isArray();
      if (stays && changed.isEmpty()) {
        continue;
      }
      List<String> cells =
          new ArrayList<>(
              List.of(
                  Output.number(row.path("number").asLong()),
                  stays ? "changed" : row.path("reason").asString()));
      for (int c = 0; c < headings.size() - 2; c++) {
        String name = headings.get(c + 2).text();
        String before = Printing.shown(row.path("before").path(c));
        cells.add(
            changed.contains(name)
                ? before + " → " + Printing.shown(row.path("after").path(after.indexOf(name)))
                : before);
      }
      rows.add(cells);
    }
    if (!rows.isEmpty()) {
      Output.table(System.out, headings, rows);
    }
    System.out.println(comparison.path("words").asString());
  }

  private static boolean changed(String change) {
    return !mark(change).isEmpty();
  }

  private static String mark(String change) {
    return switch (change) {
      case "new" -> " +";
      case "retyped" -> " ~";
      default -> "";
    };
  }

  private static String count(JsonNode preview, int shown) {
    long given = preview.path("given").asLong();
    JsonNode matching = preview.path("matching");
    boolean counted = matching.isNumber();
    String what =
        counted
            ? "%s of %s rows %s the condition"
                .formatted(
                    Output.number(matching.asLong()),
                    Output.number(given),
                    matching.asLong() == 1 ? "meets" : "meet")
            : given == 1 ? "1 row" : Output.number(given) + " rows";
    long all = counted ? matching.asLong() : given;
    return "%s%s, %s%s"
        .formatted(
            what,
            preview.path("isWhole").asBoolean()
                ? "; all that is there was read"
                : " of what was read (all of it: --whole)",
            Output.millis(preview.path("elapsedMillis").asLong()),
            shown < all ? "; shown are %s (more: --rows)".formatted(Output.number(shown)) : "");
  }
}

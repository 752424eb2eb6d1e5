package yardage.client;

import java.util.ArrayList;
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

/** What a dedupe took for the same. */
@Command(
    name = "duplicates",
    description = "Show the rows that a dedupe step removes, beside the row that stays.")
final class DuplicatesCommand implements Callable<Integer> {
  @ParentCommand Main main;
  @Mixin DocumentCommands.Format output;

  @Parameters(paramLabel = "PIPELINE")
  String pipeline;

  @Parameters(paramLabel = "STEP", description = "A step that removes duplicates.")
  String step;

  @Option(
      names = "--find",
      paramLabel = "TEXT",
      description = "Only groups with this value in some column.")
  String find = "";

  @Option(
      names = "--groups",
      paramLabel = "N",
      description = "How many groups, the largest first (${DEFAULT-VALUE}).")
  int groups = 5;

  @Override
  public Integer call() {
    String text = main.api().get("/pipelines/" + Api.encoded(pipeline)).path("text").asString();
    JsonNode found =
        main.api()
            .post(
                "/pipelines/duplicates",
                Map.of("text", text, "step", step, "find", find, "most", groups));
    if (output.format != Output.Format.table) {
      flat(found);
      return ExitCode.DONE;
    }
    long all = found.path("found").asLong();
    System.out.println(
        "%s by %s: %,d of %,d rows go; %,d %s%s"
            .formatted(
                step,
                String.join(", ", texts(found.path("by"))),
                found.path("removed").asLong(),
                found.path("rows").asLong(),
                all,
                all == 1 ? "group of several rows" : "groups of several rows",
                find.isEmpty() ? "" : " with [%s]".formatted(find)));
    List<String> columns = texts(found.path("columns"));
    for (JsonNode group : found.path("groups")) {
      System.out.println();
      group(columns, group);
    }
    if (found.path("sampled").asBoolean()) {
      System.err.println("The input is long; its beginning was looked at.");
    }
    if (all > found.path("groups").size()) {
      System.err.println(
          "There are more groups; ask for them with --groups, or for one with --find");
    }
    return ExitCode.DONE;
  }

  /** All groups in one list, for programs. */
  private void flat(JsonNode found) {
    List<Heading> headings = new ArrayList<>(List.of(Heading.right("group"), Heading.left("what")));
    texts(found.path("columns")).forEach(c -> headings.add(Heading.left(c)));
    List<List<String>> rows = new ArrayList<>();
    int number = 0;
    for (JsonNode group : found.path("groups")) {
      number++;
      for (Line line : lines(group)) {
        List<String> cells = new ArrayList<>(List.of(String.valueOf(number), line.what()));
        line.values().forEach(v -> cells.add(v.isNull() ? "" : v.asString()));
        rows.add(cells);
      }
    }
    Printing.print(output.format, found, headings, rows);
  }

  /** A row of a group, and what became of it. */
  private record Line(String what, JsonNode likeness, JsonNode values) {}

  private static List<Line> lines(JsonNode group) {
    boolean kept = false;
    for (JsonNode row : group.path("rows")) {
      kept |= row.path("stays").asBoolean();
    }
    List<Line> out = new ArrayList<>();
    for (JsonNode row : group.path("rows")) {
      String what = row.path("stays").asBoolean() ? "stays" : kept ? "goes" : "merged";
      out.add(new Line(what, row.path("likeness"), row.path("values")));
    }
    if (group.path("made").isArray()) {
      out.add(new Line("made", group.path("likeness"), group.path("made")));
    }
    return out;
  }

  private static void group(List<String> columns, JsonNode group) {
    List<String> differing = texts(group.path("differing"));
    System.out.println(
        "%,d rows, %s"
            .formatted(
                group.path("size").asLong(),
                differing.isEmpty()
                    ? "the same in every column"
                    : "different in " + String.join(", ", differing)));
    List<Line> lines = lines(group);
    boolean scored = lines.stream().anyMatch(l -> l.likeness().isNumber());
    List<Heading> headings = new ArrayList<>();
    headings.add(Heading.left(""));
    if (scored) {
      headings.add(Heading.right("likeness"));
    }
    columns.forEach(c -> headings.add(Heading.left(c)));
    List<List<String>> rows = new ArrayList<>();
    for (Line line : lines) {
      List<String> cells = new ArrayList<>(List.of(line.what()));
      if (scored) {
        cells.add(line.likeness().isNumber() ? "%.2f".formatted(line.likeness().asDouble()) : "");
      }
      line.values().forEach(v -> cells.add(v.isNull() ? "" : shown(v.asString())));
      rows.add(cells);
    }
    Output.table(System.out, headings, rows);
    long unseen = group.path("size").asLong() - group.path("rows").size();
    if (unseen > 0) {
      System.out.println("and %,d rows more".formatted(unseen));
    }
  }

  /** Blanks are made visible where they are easily overlooked. */
  private static String shown(String text) {
    boolean plain =
        text.equals(text.strip())
            && !text.contains("  ")
            && text.codePoints().allMatch(c -> c == ' ' || !Character.isSpaceChar(c));
    return plain ? text : DiagnoseCommand.visible(text);
  }

  private static List<String> texts(JsonNode list) {
    List<String> out = new ArrayList<>();
    list.forEach(x -> out.add(x.asString()));
    return out;
  }
}

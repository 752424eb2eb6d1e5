package yardage.client;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import tools.jackson.databind.JsonNode;
import yardage.client.Output.Heading;

/** Asks for a trial, and prints what a run would do. */
final class TrialPrinter {
  private static final int MOST_COLUMNS = 8;

  private TrialPrinter() {}

  /**
   * @param of a document's file, or the name of a pipeline that is kept
   * @return the exit code: that of a run which ends so
   */
  static int trial(Api api, String of, Map<String, String> parameters, Output.Format format) {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("text", PreviewCommand.text(api, of));
    body.put("parameters", parameters);
    body.put("examples", 3);
    JsonNode trial = api.post("/pipelines/trial", body);
    JsonNode failure = trial.path("failure");
    boolean fails = failure.isObject();
    if (format == Output.Format.table) {
      tell(trial);
    } else {
      new Listing()
          .text("table", "table")
          .text("mode", "mode")
          .number("rows before", t -> t.path("before").asLong())
          .number("rows after", "after")
          .number("added", "added")
          .number("removed", "removed")
          .number("changed", "changed")
          .number("files", "files")
          .number("size (bytes)", "bytes")
          .print(format, format == Output.Format.json ? trial : trial.path("tables"));
    }
    if (fails) {
      String step = failure.path("step").asString("");
      System.err.println(
          "A run would fail. %s%s"
              .formatted(
                  step.isEmpty() ? "" : "Step " + step + ": ", failure.path("message").asString()));
    }
    return fails ? ExitCode.FAILED : ExitCode.DONE;
  }

  private static void tell(JsonNode trial) {
    System.out.println(
        "%s: a trial, %s; nothing is published"
            .formatted(
                trial.path("pipeline").asString(),
                Output.millis(trial.path("elapsedMillis").asLong())));
    TallyPrinter.print(System.out, trial);
    if (!trial.path("setAsideByReason").isEmpty()) {
      List<String> reasons = new ArrayList<>();
      trial
          .path("setAsideByReason")
          .propertyStream()
          .forEach(
              e ->
                  reasons.add("%s %s".formatted(Output.number(e.getValue().asLong()), e.getKey())));
      System.out.println("Set aside: " + String.join(", ", reasons));
    }
    for (JsonNode check : trial.path("checks")) {
      if (!check.path("outcome").asString().equals("met")) {
        System.out.println(
            "Check %s, %s: %s"
                .formatted(
                    check.path("step").asString(),
                    check.path("rule").asString(),
                    check.path("words").asString()));
      }
    }
    System.out.println();
    trial.path("tables").forEach(TrialPrinter::table);
  }

  private static void table(JsonNode table) {
    System.out.println(table.path("words").asString());
    columns("new columns", table.path("columnsAdded"), table.path("before").isNumber());
    columns("columns that go", table.path("columnsRemoved"), true);
    if (!table.path("changedColumns").isEmpty()) {
      List<String> out = new ArrayList<>();
      table
          .path("changedColumns")
          .propertyStream()
          .forEach(
              e -> out.add("%s (%s)".formatted(e.getKey(), Output.number(e.getValue().asLong()))));
      System.out.println("  changed values: " + String.join(", ", out));
    }
    if (table.path("examples").isEmpty()) {
      return;
    }
    List<String> names = table.path("columns").valueStream().map(JsonNode::asString).toList();
    int shown = Math.min(MOST_COLUMNS, names.size());
    List<Heading> headings = new ArrayList<>(List.of(Heading.left("row")));
    names.subList(0, shown).forEach(n -> headings.add(Heading.left(n)));
    List<List<String>> rows = new ArrayList<>();
    for (JsonNode example : table.path("examples")) {
      List<String> row = new ArrayList<>(List.of(example.path("kind").asString()));
      example.path("values").valueStream().limit(shown).map(Printing::shown).forEach(row::add);
      rows.add(row);
    }
    Output.table(System.out, headings, rows);
    if (shown < names.size()) {
      System.out.println(
          "%d more columns: %s (all with -o json)"
              .formatted(
                  names.size() - shown, String.join(", ", names.subList(shown, names.size()))));
    }
  }

  private static void columns(String what, JsonNode names, boolean told) {
    if (told && !names.isEmpty()) {
      System.out.println("  %s: %s".formatted(what, Output.words(names)));
    }
  }
}

package yardage.client;

import java.util.ArrayList;
import java.util.List;
import tools.jackson.databind.JsonNode;
import yardage.client.Output.Heading;

/** Prints a listing in the format asked for. */
final class Printing {
  private Printing() {}

  static void print(
      Output.Format format, JsonNode json, List<Heading> headings, List<List<String>> rows) {
    switch (format) {
      case json -> Terminal.data().println(json.toPrettyString());
      case csv ->
          Output.csv(Terminal.data(), headings.stream().map(Heading::text).toList(), rows, false);
      case table -> Output.table(System.out, headings, rows);
    }
  }

  /**
   * Prints query rows: nulls and blanks are told apart in tables, and values are exact in the
   * others.
   *
   * @param asIs whether csv keeps text that a spreadsheet would take for a formula
   */
  static void rows(Output.Format format, JsonNode result, boolean asIs) {
    if (format != Output.Format.table) {
      // Beside the data, which is for a program.
      result.path("notes").forEach(n -> System.err.println("Note: " + n.asString()));
    }
    if (format == Output.Format.json) {
      List<java.util.Map<String, Object>> out = new ArrayList<>();
      for (JsonNode row : result.path("rows")) {
        java.util.Map<String, Object> object = new java.util.LinkedHashMap<>();
        for (int i = 0; i < row.size(); i++) {
          object.put(result.path("columns").get(i).path("name").asString(), row.get(i));
        }
        out.add(object);
      }
      Terminal.data().println(Api.JSON.writerWithDefaultPrettyPrinter().writeValueAsString(out));
      return;
    }
    List<Heading> headings = new ArrayList<>();
    result
        .path("columns")
        .forEach(
            c -> headings.add(Heading.of(c.path("name").asString(), c.path("type").asString())));
    List<List<String>> rows = new ArrayList<>();
    for (JsonNode row : result.path("rows")) {
      List<String> cells = new ArrayList<>();
      row.forEach(
          v ->
              cells.add(format != Output.Format.csv ? shown(v) : v.isNull() ? null : v.asString()));
      rows.add(cells);
    }
    if (format == Output.Format.csv) {
      Output.csv(Terminal.data(), headings.stream().map(Heading::text).toList(), rows, asIs);
      return;
    }
    Output.table(System.out, headings, rows);
    result.path("notes").forEach(n -> System.out.println("Note: " + n.asString()));
    boolean more = result.path("truncated").asBoolean();
    System.out.println(
        "%s row%s in %s%s"
            .formatted(
                Output.number(rows.size()),
                rows.size() == 1 ? "" : "s",
                Output.millis(result.path("elapsedMillis").asLong()),
                more ? "; there are more, ask for them with --rows" : ""));
  }

  /** A value of a row in a table: nulls and blanks can be seen. */
  static String shown(JsonNode value) {
    return value.isNull()
        ? "null"
        : value.isString() ? Output.visible(value.asString()) : value.asString();
  }
}

package yardage.client;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.function.Function;
import java.util.function.ToLongFunction;
import tools.jackson.databind.JsonNode;
import yardage.client.Output.Heading;

/**
 * A list of alike things, for people and for programs: each column knows how its value is shown in
 * a table and what it is exactly. In csv a number is a number, a size is in bytes, a time is as the
 * service gave it, and the header says the unit.
 */
final class Listing {
  private record Column(
      String heading,
      String exactHeading,
      boolean right,
      Function<JsonNode, String> shown,
      Function<JsonNode, String> exact) {}

  private final List<Column> columns = new ArrayList<>();

  private Listing column(
      String heading,
      String exactHeading,
      boolean right,
      Function<JsonNode, String> shown,
      Function<JsonNode, String> exact) {
    columns.add(new Column(heading, exactHeading, right, shown, exact));
    return this;
  }

  /** A text that is the same for both. */
  Listing text(String heading, Function<JsonNode, String> value) {
    return column(heading, heading, false, value, value);
  }

  Listing text(String heading, String field) {
    return text(heading, n -> n.path(field).asString(""));
  }

  /** A text that people are shown in another form. */
  Listing text(String heading, Function<JsonNode, String> shown, Function<JsonNode, String> exact) {
    return column(heading, heading, false, shown, exact);
  }

  /** A list of texts. */
  Listing words(String heading, String field) {
    return text(heading, n -> Output.words(n.path(field)));
  }

  /** A number that names something, such as a run's: never with separators. */
  Listing id(String heading, String field) {
    return id(heading, n -> n.path(field).asString(""));
  }

  Listing id(String heading, Function<JsonNode, String> value) {
    return column(heading, heading, true, value, value);
  }

  /** A number; nothing where there is none. */
  Listing number(String heading, String field) {
    return column(
        heading,
        heading,
        true,
        n -> n.path(field).isNumber() ? Output.number(n.path(field).asLong()) : "",
        n -> n.path(field).isNumber() ? n.path(field).asString() : "");
  }

  Listing number(String heading, ToLongFunction<JsonNode> value) {
    return column(
        heading,
        heading,
        true,
        n -> Output.number(value.applyAsLong(n)),
        n -> Long.toString(value.applyAsLong(n)));
  }

  /** A number that people see only where it is not zero. */
  Listing count(String heading, ToLongFunction<JsonNode> value) {
    return column(
        heading,
        heading,
        true,
        n -> Output.count(value.applyAsLong(n)),
        n -> Long.toString(value.applyAsLong(n)));
  }

  Listing count(String heading, String field) {
    return count(heading, n -> n.path(field).asLong());
  }

  Listing bytes(String heading, String field) {
    return column(
        heading,
        heading + " (bytes)",
        true,
        n -> n.path(field).isNumber() ? Output.bytes(n.path(field).asLong()) : "",
        n -> n.path(field).isNumber() ? n.path(field).asString() : "");
  }

  Listing millis(String heading, String field) {
    return column(
        heading,
        heading + " (ms)",
        true,
        n -> n.path(field).isNumber() ? Output.millis(n.path(field).asLong()) : "",
        n -> n.path(field).isNumber() ? n.path(field).asString() : "");
  }

  /** A time: in UTC for people, as ISO 8601 has it for programs. */
  Listing time(String heading, String field) {
    return column(
        heading + " (UTC)",
        heading,
        false,
        n -> Output.time(n.path(field).asString("")),
        n -> n.path(field).asString(""));
  }

  /** A part of a whole: in percent for people, from 0 to 1 for programs; nothing of nothing. */
  Listing share(String heading, ToLongFunction<JsonNode> part, ToLongFunction<JsonNode> whole) {
    return column(
        heading,
        heading + " (share)",
        true,
        n ->
            whole.applyAsLong(n) == 0
                ? ""
                : "%.2f %%".formatted(100.0 * part.applyAsLong(n) / (double) whole.applyAsLong(n)),
        n ->
            whole.applyAsLong(n) == 0
                ? ""
                : String.format(
                    Locale.ROOT, "%.6f", part.applyAsLong(n) / (double) whole.applyAsLong(n)));
  }

  /** Prints rows; json gives them as the service did. */
  void print(Output.Format format, JsonNode rows) {
    print(format, rows, rows);
  }

  /**
   * @param json what json prints
   */
  void print(Output.Format format, JsonNode json, JsonNode rows) {
    boolean exact = format == Output.Format.csv;
    List<Heading> headings = new ArrayList<>();
    columns.forEach(
        c -> headings.add(new Heading(exact ? c.exactHeading() : c.heading(), c.right())));
    List<List<String>> cells = new ArrayList<>();
    rows.forEach(
        row ->
            cells.add(
                columns.stream().map(c -> (exact ? c.exact() : c.shown()).apply(row)).toList()));
    Printing.print(format, json, headings, cells);
  }
}

package yardage.core.pipeline.tests;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.column.Values;

/** Writes a test's document of rows as they are now. */
public final class TestText {
  private TestText() {}

  /** Rows with their columns; values as {@link yardage.core.column.Column#value} gives them. */
  public record Rows(Schema schema, List<List<Object>> rows) {}

  /**
   * @param given by the step that reads them
   * @param step of which the rows are expected
   */
  public static String of(
      String name, String pipeline, Map<String, Rows> given, String step, Rows expected) {
    List<String> out = new ArrayList<>();
    out.add("test: " + name);
    out.add("of: " + pipeline);
    out.add("about: What %s gives of some rows.".formatted(step));
    out.add("given:");
    given.forEach((reading, rows) -> write(reading, rows, false, out));
    out.add("expect:");
    write(step, expected, true, out);
    return String.join("\n", out) + "\n";
  }

  /**
   * @param nulls whether nulls are written; otherwise what is not there is null
   */
  private static void write(String step, Rows rows, boolean nulls, List<String> out) {
    if (rows.rows().isEmpty()) {
      out.add("  %s: []".formatted(step));
      return;
    }
    out.add("  %s:".formatted(step));
    for (List<Object> row : rows.rows()) {
      List<String> values = new ArrayList<>();
      for (int c = 0; c < row.size(); c++) {
        Schema.Field field = rows.schema().field(c);
        Object value = row.get(c);
        if (nulls || value != null) {
          values.add("%s: %s".formatted(field.name(), text(value, field.type())));
        }
      }
      out.add("    - {%s}".formatted(String.join(", ", values)));
    }
  }

  private static String text(Object value, Type type) {
    if (value == null) {
      return "null";
    }
    return switch (type.kind()) {
      // Double quotes, as YAML 1.2 and JSON have them, keep every character.
      case VARCHAR -> quoted(Values.text(value));
      case STRUCT ->
          type.parts().stream()
              .filter(p -> ((Map<?, ?>) value).get(p.name()) != null)
              .map(p -> p.name() + ": " + text(((Map<?, ?>) value).get(p.name()), p.type()))
              .collect(Collectors.joining(", ", "{", "}"));
      case LIST ->
          ((List<?>) value)
              .stream()
                  .map(v -> text(v, type.element()))
                  .collect(Collectors.joining(", ", "[", "]"));
      case MAP ->
          ((Map<?, ?>) value)
              .entrySet().stream()
                  .map(
                      e ->
                          text(e.getKey(), type.entry().parts().get(0).type())
                              + ": "
                              + text(e.getValue(), type.entry().parts().get(1).type()))
                  .collect(Collectors.joining(", ", "{", "}"));
      default -> Values.text(value);
    };
  }

  private static String quoted(String text) {
    StringBuilder out = new StringBuilder("\"");
    text.chars()
        .forEach(
            c -> {
              if (c == '"' || c == '\\') {
                out.append('\\').append((char) c);
              } else if (c < 0x20 || c == 0x7f) {
                out.append("\\u%04x".formatted(c));
              } else {
                out.append((char) c);
              }
            });
    return out.append('"').toString();
  }
}

package yardage.core.pipeline.edit;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.describe.StepCatalog;
import yardage.core.pipeline.read.Verb;

/** What a new step begins with: something that its columns allow, to be changed at once. */
final class StepStarts {
  private static final Map<String, String> NAMES =
      Map.ofEntries(
          Map.entry("read", "rows"),
          Map.entry("shape", "tidy"),
          Map.entry("fill", "filled"),
          Map.entry("keep", "kept"),
          Map.entry("sample", "some"),
          Map.entry("stack", "stacked"),
          Map.entry("unnest", "unnested"),
          Map.entry("pivot", "pivoted"),
          Map.entry("unpivot", "unpivoted"),
          Map.entry("across", "with_totals"),
          Map.entry("dedupe", "once"),
          Map.entry("join", "joined"),
          Map.entry("aggregate", "grouped"),
          Map.entry("check", "checked"),
          Map.entry("calendar", "days"),
          Map.entry("sql", "asked"),
          Map.entry("write", "publish"));

  private StepStarts() {}

  static String name(String verb) {
    return NAMES.getOrDefault(verb, verb);
  }

  /**
   * @param behind the step whose rows come in
   * @param other the step to join with, where that is chosen
   */
  static String body(
      String verb, Optional<String> behind, Optional<String> other, PipelineCheck check) {
    Optional<Schema> schema = behind.map(check::schema);
    if (schema.isEmpty() || schema.get().size() == 0) {
      // The columns are not known, but what is joined was chosen.
      return verb.equals("join") && other.isPresent()
          ? "{with: %s, on: [], kind: left}".formatted(other.get())
          : example(verb);
    }
    List<Schema.Field> fields = schema.get().fields();
    String first = fields.get(0).name();
    Optional<String> text = ofKind(fields, Type.Kind.VARCHAR);
    return switch (verb) {
      case "shape" -> "{trim: {of: varchar}}";
      case "keep" -> quoted(first) + " is not null";
      case "fill" ->
          "{columns: [%s], with: %s}"
              .formatted(text.orElse(first), text.isPresent() ? "\"''\"" : "0");
      case "sample" -> "{share: 10%%, by: [%s]}".formatted(first);
      case "dedupe" -> "{by: [%s], keep: last}".formatted(first);
      case "aggregate" -> "{by: [%s], set: {rows: count(*)}}".formatted(text.orElse(first));
      case "check" -> "{%s_there: {not-null: [%s]}}".formatted(first.toLowerCase(), first);
      case "across" -> "{by: [%s], set: {rows_of_group: count(*)}}".formatted(text.orElse(first));
      case "unpivot" -> "{columns: {of: number}, names: measure, values: value}";
      case "unnest" ->
          "{column: %s}"
              .formatted(
                  fields.stream()
                      .filter(f -> f.type().isNested())
                      .findFirst()
                      .map(Schema.Field::name)
                      .orElse(first));
      case "join" -> join(behind.orElseThrow(), other, schema.get(), check);
      case "sql" -> "select * from " + behind.orElseThrow();
      case "write" -> "{table: %s, mode: replace}".formatted(table(behind.orElseThrow(), check));
      default -> example(verb);
    };
  }

  private static String example(String verb) {
    return StepCatalog.of(verb).examples().stream().findFirst().orElse("{}");
  }

  /** A dimension is written where it is read; all else may go anywhere. */
  private static String table(String behind, PipelineCheck check) {
    return check.document().steps().get(behind).verb() instanceof Verb.Dimension dimension
        ? dimension.table().toString()
        : "mart." + behind;
  }

  /** With the first other step that has a column of the same name and type. */
  private static String join(
      String behind, Optional<String> with, Schema schema, PipelineCheck check) {
    List<String> upTo =
        PipelineCheck.behind(check.document(), behind).stream().map(s -> s.name()).toList();
    for (PipelineCheck.StepInfo other : check.steps()) {
      if (with.isPresent() && !with.get().equals(other.name())) {
        continue;
      }
      if (other.schema().isEmpty()
          || with.isEmpty() && upTo.contains(other.name())
          || other.verb().equals("write")) {
        continue;
      }
      String shared =
          other.schema().get().fields().stream()
              .filter(f -> schema.indexOf(f.name()) >= 0)
              .filter(f -> schema.field(schema.indexOf(f.name())).type().equals(f.type()))
              .map(Schema.Field::name)
              .limit(1)
              .collect(Collectors.joining());
      if (!shared.isEmpty() && (with.isPresent() || !dependsOn(other.name(), behind, check))) {
        return "{with: %s, on: [%s], kind: left}".formatted(other.name(), shared);
      }
    }
    return "{with: %s, on: [%s], kind: left}".formatted(with.orElse(""), schema.field(0).name());
  }

  private static boolean dependsOn(String step, String on, PipelineCheck check) {
    return PipelineCheck.behind(check.document(), step).stream().anyMatch(s -> s.name().equals(on));
  }

  private static Optional<String> ofKind(List<Schema.Field> fields, Type.Kind kind) {
    return fields.stream().filter(f -> f.type().kind() == kind).map(Schema.Field::name).findFirst();
  }

  private static String quoted(String column) {
    return column.matches("[A-Za-z_][A-Za-z0-9_]*") ? column : '"' + column + '"';
  }
}

package yardage.core.pipeline.describe;

import java.util.List;
import java.util.stream.Collectors;
import yardage.core.pipeline.describe.StepDescription.Field;
import yardage.core.pipeline.describe.StepDescription.Kind;

/** The part of the reference page that tells of steps. */
public final class StepReference {
  private StepReference() {}

  /** Markdown, a section for each verb. */
  public static String markdown() {
    return StepCatalog.all().stream().map(StepReference::section).collect(Collectors.joining("\n"));
  }

  private static String section(StepDescription d) {
    StringBuilder out = new StringBuilder("### `%s`\n\n%s\n\n".formatted(d.verb(), d.about()));
    List<Field> fields = d.fields();
    boolean named = fields.size() == 1 && fields.get(0).name().isEmpty();
    if (named) {
      out.append("Names, each with:\n\n");
      fields = fields.get(0).fields();
    }
    if (!fields.isEmpty()) {
      out.append("| field | holds | meaning | without it |\n|---|---|---|---|\n");
      fields.forEach(f -> row(f, "", out));
      out.append('\n');
    }
    out.append("```yaml\n");
    for (String example : d.examples()) {
      out.append(d.verb()).append(": ").append(example).append('\n');
    }
    return out.append("```\n").toString();
  }

  private static void row(Field f, String within, StringBuilder out) {
    String name = within + f.name();
    out.append(
        "| `%s` | %s | %s | %s |\n"
            .formatted(name, holds(f), f.help(), f.required() ? "an error" : f.otherwise()));
    String inside = f.kind() == Kind.NAMED_FIELDS ? name + ".*." : name + ".";
    f.fields().forEach(inner -> row(inner, inside, out));
  }

  private static String holds(Field f) {
    return switch (f.kind()) {
      case COLUMN_CHOICE -> "column choice";
      case COLUMN -> "a column";
      case COLUMNS -> "columns";
      case ORDER -> "columns, each perhaps with `desc`";
      case KEYS -> "columns, or `{left: right}`";
      case LISTS_OF_COLUMNS -> "lists of columns";
      case RENAMES -> "`{old: new}`";
      case VALUES -> "`{name: value}`";
      case TYPES -> "`{column: type}`";
      case COLUMN_WORDS ->
          "`{column: word}`: "
              + f.words().stream().map(w -> "`" + w + "`").collect(Collectors.joining(", "));
      case NEW_COLUMN -> "a new name";
      case EXPRESSION -> "SQL expression";
      case CONDITION -> "SQL condition";
      case EXPRESSIONS -> "`{column: expression}`";
      case QUERY -> "SQL query";
      case TEXT -> "text";
      case TEXTS -> "texts";
      case WORD -> f.words().stream().map(w -> "`" + w + "`").collect(Collectors.joining(", "));
      case TRUTH -> "`true`, `false`";
      case COUNT -> "a number";
      case SHARE -> "a share, as `5%`";
      case SIZE -> "a size, as `128 MB`";
      case STEP -> "a step";
      case FEED -> "a feed";
      case TABLE -> "a table";
      case PARTITIONS -> "columns and transforms";
      case FIELDS -> "fields";
      case NAMED_FIELDS -> "names, each with fields";
    };
  }
}

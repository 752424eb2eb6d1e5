package yardage.core.pipeline.describe;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import yardage.core.pipeline.describe.StepDescription.Field;

/** JSON Schema (draft 2020-12) of steps, for editors that know it. */
public final class StepSchema {
  private static final String STEP_NAME = "^[a-z][a-z0-9_]{0,62}$";

  private StepSchema() {}

  /** The schema of one step, as plain values. */
  public static Map<String, Object> step() {
    Map<String, Object> properties = new LinkedHashMap<>();
    properties.put("from", oneOf(text(), texts()));
    properties.put(
        "off",
        described(
            Map.of("type", "boolean"),
            "switches the step off: the rows of its first input pass as they come"));
    for (StepDescription d : StepCatalog.all()) {
      Map<String, Object> verb =
          new LinkedHashMap<>(d.value().isPresent() ? of(d.value().get()) : object(d.fields()));
      verb.put("description", d.about());
      verb.put("examples", d.examples());
      properties.put(d.verb(), verb);
    }
    Map<String, Object> out = new LinkedHashMap<>();
    out.put("type", "object");
    out.put("additionalProperties", false);
    out.put("properties", properties);
    out.put(
        "oneOf", StepCatalog.verbs().stream().map(v -> Map.of("required", List.of(v))).toList());
    return out;
  }

  private static Map<String, Object> object(List<Field> fields) {
    Map<String, Object> out = new LinkedHashMap<>();
    if (fields.size() == 1 && fields.get(0).name().isEmpty()) {
      return of(fields.get(0));
    }
    Map<String, Object> properties = new LinkedHashMap<>();
    for (Field f : fields) {
      Map<String, Object> field = new LinkedHashMap<>(of(f));
      field.put(
          "description",
          f.help() + (f.otherwise().isEmpty() ? "" : " (without it: " + f.otherwise() + ")"));
      properties.put(f.name(), field);
    }
    out.put("type", "object");
    out.put("additionalProperties", false);
    out.put("properties", properties);
    List<String> required = fields.stream().filter(Field::required).map(Field::name).toList();
    if (!required.isEmpty()) {
      out.put("required", required);
    }
    return out;
  }

  private static Map<String, Object> of(Field field) {
    return switch (field.kind()) {
      case COLUMN, NEW_COLUMN, QUERY, TEXT -> text();
      case EXPRESSION, CONDITION -> Map.of("type", List.of("string", "number", "boolean"));
      case COLUMNS, ORDER, TEXTS, PARTITIONS ->
          oneOf(scalar(), Map.of("type", "array", "items", scalar()));
      case COLUMN_CHOICE -> oneOf(text(), texts(), choice());
      case KEYS -> oneOf(text(), texts(), named(text()));
      case LISTS_OF_COLUMNS -> Map.of("type", "array", "items", texts());
      case RENAMES, TYPES, VALUES -> named(text());
      case EXPRESSIONS -> named(scalar());
      case WORD -> Map.of("enum", words(field.words()));
      case COLUMN_WORDS -> named(Map.of("enum", field.words()));
      case TRUTH -> Map.of("type", "boolean");
      case COUNT -> Map.of("type", "integer", "minimum", 0);
      case SHARE -> Map.of("type", List.of("string", "number"), "examples", List.of("5%"));
      case SIZE -> pattern("^\\d+ ?(kB|MB|GB)$");
      case STEP -> pattern(STEP_NAME);
      case FEED -> pattern("^[a-z][a-z0-9-]{0,62}$");
      case TABLE -> pattern("^[a-z][a-z0-9_]*\\.[a-z][a-z0-9_]*$");
      case FIELDS -> object(field.fields());
      case NAMED_FIELDS -> named(object(field.fields()));
    };
  }

  /** The word null may stand without quotes. */
  private static List<Object> words(List<String> words) {
    List<Object> out = new java.util.ArrayList<>(words);
    if (words.contains("null")) {
      out.add(null);
    }
    return out;
  }

  private static Map<String, Object> choice() {
    Map<String, Object> properties = new LinkedHashMap<>();
    properties.put("names", described(oneOf(text(), texts()), "columns by name"));
    properties.put(
        "of",
        described(oneOf(text(), texts()), "all columns of a type, or number, text, time, nested"));
    properties.put(
        "like", described(oneOf(text(), texts()), "all columns whose name fits; * is any run"));
    properties.put(
        "at",
        described(
            oneOf(scalar(), Map.of("type", "array", "items", scalar())),
            "all columns at these places: 2, -1 for the last, 2..4"));
    properties.put("except", described(oneOf(text(), texts()), "but not these; * is any run"));
    return Map.of("type", "object", "additionalProperties", false, "properties", properties);
  }

  private static Map<String, Object> described(Map<String, Object> schema, String words) {
    Map<String, Object> out = new LinkedHashMap<>(schema);
    out.put("description", words);
    return out;
  }

  private static Map<String, Object> text() {
    return Map.of("type", "string");
  }

  private static Map<String, Object> texts() {
    return Map.of("type", "array", "items", text());
  }

  private static Map<String, Object> scalar() {
    return Map.of("type", List.of("string", "number", "boolean"));
  }

  private static Map<String, Object> named(Map<String, Object> value) {
    return Map.of("type", "object", "additionalProperties", value);
  }

  private static Map<String, Object> pattern(String pattern) {
    return Map.of("type", "string", "pattern", pattern);
  }

  private static Map<String, Object> oneOf(Map<String, Object> a, Map<String, Object> b) {
    return Map.of("oneOf", List.of(a, b));
  }

  private static Map<String, Object> oneOf(
      Map<String, Object> a, Map<String, Object> b, Map<String, Object> c) {
    return Map.of("oneOf", List.of(a, b, c));
  }
}

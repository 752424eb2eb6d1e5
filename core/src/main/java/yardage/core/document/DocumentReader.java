package yardage.core.document;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Function;
import yardage.core.document.DocumentValue.ListValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;

/**
 * Takes named values out of a map, noting problems in a shared list. {@link #finish} reports names
 * that nobody asked for.
 */
public final class DocumentReader {
  private final MapValue map;
  private final String step;
  private final String path;
  private final List<Problem> problems;
  private final Set<String> known = new TreeSet<>();

  public DocumentReader(MapValue map, String step, String path, List<Problem> problems) {
    this.map = map;
    this.step = step;
    this.path = path;
    this.problems = problems;
  }

  public Place place() {
    return map.place();
  }

  public String step() {
    return step;
  }

  public Optional<DocumentValue> value(String name) {
    known.add(name);
    return map.entries().entrySet().stream()
        .filter(e -> e.getKey().text().equals(name))
        .map(Map.Entry::getValue)
        .findFirst();
  }

  private static TextValue name(String name) {
    return new TextValue(name, false, 0, 0, 0, Place.START);
  }

  public boolean has(String name) {
    return value(name).isPresent();
  }

  public Optional<TextValue> text(String name) {
    Optional<DocumentValue> value = value(name);
    if (value.isPresent() && !(value.get() instanceof TextValue)) {
      error("wrong-shape", name, value.get().place(), "[%s] must be a plain value".formatted(name));
      return Optional.empty();
    }
    return value.map(v -> (TextValue) v).filter(v -> !v.isNull());
  }

  public Optional<TextValue> required(String name, String hint) {
    Optional<TextValue> value = text(name);
    // One without a value is missing too; one of another shape is told already.
    if (value.isEmpty() && value(name).map(v -> v instanceof TextValue).orElse(true)) {
      error("missing-field", name, map.place(), "[%s] is missing: %s".formatted(name, hint));
    }
    return value;
  }

  /** One of some words. */
  public String word(String name, String otherwise, String... allowed) {
    Optional<TextValue> value = text(name);
    if (value.isEmpty()) {
      // Without quotes YAML takes the word null for nothing.
      boolean saysNull = map.entries().containsKey(name(name)) && List.of(allowed).contains("null");
      return saysNull ? "null" : otherwise;
    }
    for (String word : allowed) {
      if (word.equals(value.get().text())) {
        return word;
      }
    }
    problems.add(
        new Problem(
            Problem.Severity.ERROR,
            "unknown-word",
            step,
            field(name),
            value.get().place(),
            "[%s] is not one of %s".formatted(value.get().text(), String.join(", ", allowed)),
            Names.nearest(value.get().text(), List.of(allowed))));
    return otherwise;
  }

  public boolean truth(String name, boolean otherwise) {
    return word(name, String.valueOf(otherwise), "true", "false").equals("true");
  }

  /** A value that something else parses, whose complaint becomes a problem. */
  public <T> Optional<T> parsed(String name, Function<String, T> parser) {
    Optional<TextValue> value = text(name);
    if (value.isEmpty()) {
      return Optional.empty();
    }
    return attempt(value.get(), name, parser);
  }

  public <T> Optional<T> attempt(TextValue value, String name, Function<String, T> parser) {
    try {
      return Optional.of(parser.apply(value.text()));
    } catch (IllegalArgumentException | java.time.DateTimeException e) {
      error("wrong-value", name, value.place(), e.getMessage());
      return Optional.empty();
    }
  }

  /** A list of plain values; a single one counts as a list of one. */
  public List<TextValue> texts(String name) {
    Optional<DocumentValue> value = value(name);
    if (value.isEmpty()) {
      return List.of();
    }
    if (value.get() instanceof TextValue t) {
      return t.isNull() ? List.of() : List.of(t);
    }
    if (value.get() instanceof ListValue list
        && list.items().stream().allMatch(i -> i instanceof TextValue)) {
      return list.items().stream().map(i -> (TextValue) i).toList();
    }
    error(
        "wrong-shape",
        name,
        value.get().place(),
        "[%s] must be a list of plain values".formatted(name));
    return List.of();
  }

  /** A map from names to plain values. */
  public Map<TextValue, TextValue> pairs(String name) {
    Map<TextValue, TextValue> out = new LinkedHashMap<>();
    Optional<DocumentValue> value = value(name);
    if (value.isPresent()
        && value.get() instanceof MapValue m
        && m.entries().values().stream().allMatch(v -> v instanceof TextValue)) {
      m.entries().forEach((k, v) -> out.put(k, (TextValue) v));
    } else if (value.isPresent()) {
      error(
          "wrong-shape",
          name,
          value.get().place(),
          "[%s] must be names with a plain value each, as in {name: value}".formatted(name));
    }
    return out;
  }

  /**
   * Lists of two plain values or more, by name.
   *
   * @param complaint what is said of a shorter one
   */
  public Map<String, List<TextValue>> paths(String name, String complaint) {
    Map<String, List<TextValue>> out = new LinkedHashMap<>();
    reader(name)
        .ifPresent(
            r -> {
              for (TextValue path : r.entries().keySet()) {
                List<TextValue> columns = r.texts(path.text());
                if (columns.size() < 2) {
                  r.error("wrong-shape", path.text(), path.place(), complaint);
                }
                out.put(path.text(), columns);
              }
            });
    return out;
  }

  public Optional<DocumentReader> reader(String name) {
    Optional<DocumentValue> value = value(name);
    if (value.isEmpty()) {
      return Optional.empty();
    }
    if (value.get() instanceof MapValue m) {
      return Optional.of(new DocumentReader(m, step, field(name), problems));
    }
    error(
        "wrong-shape",
        name,
        value.get().place(),
        "[%s] must hold named values, as in {name: value}".formatted(name));
    return Optional.empty();
  }

  /**
   * A reader for each entry, which must all be maps; {@link #finish} is for the caller to call.
   *
   * @param complaint what is said of an entry that is none
   */
  public Map<TextValue, DocumentReader> readers(String complaint) {
    Map<TextValue, DocumentReader> out = new LinkedHashMap<>();
    entries()
        .forEach(
            (name, value) -> {
              if (value instanceof MapValue m) {
                out.put(name, new DocumentReader(m, step, field(name.text()), problems));
              } else {
                error("wrong-shape", name.text(), value.place(), complaint);
              }
            });
    return out;
  }

  /** The entries as they stand; their names are all known then. */
  public Map<TextValue, DocumentValue> entries() {
    map.entries().keySet().forEach(k -> known.add(k.text()));
    return map.entries();
  }

  /** Reports names that nobody asked for, each with the nearest that somebody did. */
  public void finish() {
    List<String> names = new ArrayList<>(known);
    map.entries()
        .keySet()
        .forEach(
            key -> {
              if (isRestOfAValue(key.text())) {
                restOfAValue(key);
              } else if (!known.contains(key.text())) {
                Optional<String> fix = Names.nearest(key.text(), names);
                problems.add(
                    new Problem(
                        Problem.Severity.ERROR,
                        "unknown-field",
                        step,
                        field(key.text()),
                        key.place(),
                        "There is no [%s] here%s"
                            .formatted(
                                key.text(),
                                fix.map(f -> "; did you mean [%s]?".formatted(f))
                                    .orElse("; there are " + String.join(", ", names))),
                        fix));
              }
            });
  }

  /** What YAML makes of the end of an unquoted {@code a in (1, 2)}: a name that closes more. */
  private static boolean isRestOfAValue(String key) {
    return key.chars().filter(c -> c == ')').count() > key.chars().filter(c -> c == '(').count();
  }

  private void restOfAValue(TextValue key) {
    if (problems.stream().noneMatch(p -> p.message().contains("breaks off at its comma"))) {
      error(
          "unknown-field",
          key.text(),
          key.place(),
          "[%s] is the end of the value before it: inside { } a comma ends a value, so put the whole value in double quotes"
              .formatted(key.text()));
    }
  }

  public void error(String code, String name, Place at, String message) {
    problems.add(
        new Problem(
            Problem.Severity.ERROR, code, step, field(name), at, message, Optional.empty()));
  }

  public String field(String name) {
    return path.isEmpty() ? name : name.isEmpty() ? path : path + "." + name;
  }
}

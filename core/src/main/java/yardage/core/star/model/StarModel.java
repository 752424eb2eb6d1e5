package yardage.core.star.model;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Pattern;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Names;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.lake.TableName;

/** A star's document: what its text says, before its tables are looked at. */
public record StarModel(
    String name, String about, Map<String, Dimension> dimensions, Map<String, Fact> facts) {
  private static final Pattern NAME = Pattern.compile("[a-z][a-z0-9_]{0,62}");

  /**
   * A dimension.
   *
   * @param key its surrogate key
   * @param time whether it is one of days or the like, over which some measures do not add up
   * @param numbers numeric columns that describe and do not measure
   * @param hierarchies columns from the whole to its parts, by name
   */
  public record Dimension(
      String name,
      TextValue place,
      TableName table,
      TextValue tableText,
      TextValue key,
      boolean time,
      List<TextValue> numbers,
      Map<String, List<TextValue>> hierarchies) {}

  /**
   * A fact.
   *
   * @param grain the columns that tell its rows apart
   * @param keys its columns to the names of dimensions
   * @param keep columns that stay in it without being keys or measures
   */
  public record Fact(
      String name,
      TextValue place,
      TableName table,
      TextValue tableText,
      List<TextValue> grain,
      Map<TextValue, TextValue> keys,
      List<TextValue> keep,
      Map<String, Measure> measures) {}

  /**
   * What the attributes of a dimension begin with in queries, by a fact's key that points to it.
   */
  static String prefix(TextValue key) {
    return key.text().replaceFirst("_key$", "") + "_";
  }

  /** How a measure adds up. */
  public enum Adds {
    /** Over all dimensions. */
    FULLY,
    /** Over all but time: a stock, a balance. */
    NOT_OVER_TIME,
    /** Over none: a share, an average; its formula is computed anew at each level. */
    NOT
  }

  /** What can be measured: an aggregate over the columns of a fact. */
  public record Measure(TextValue name, TextValue formula, Adds adds, String about) {}

  /** What a text says, and what is wrong with it; a model only where nothing is. */
  public record Parsed(String name, Optional<StarModel> model, List<Problem> problems) {}

  /** Reads a document; never throws for what the text says. */
  public static Parsed parse(String text) {
    List<Problem> problems = new ArrayList<>();
    try {
      if (DocumentValue.parse(text) instanceof MapValue map) {
        DocumentReader doc = new DocumentReader(map, "", "", problems);
        String name = doc.required("star", "the star's name").map(TextValue::text).orElse("?");
        StarModel model =
            new StarModel(
                name,
                doc.text("about").map(TextValue::text).orElse(""),
                dimensions(doc, problems),
                facts(doc, problems));
        if (!NAME.matcher(name).matches()) {
          doc.error(
              "wrong-name",
              "star",
              doc.place(),
              "Invalid name [%s]: use lower-case letters, digits and underscores, since queries name it"
                  .formatted(name));
        }
        doc.finish();
        model.connect(problems);
        return new Parsed(
            name, problems.isEmpty() ? Optional.of(model) : Optional.empty(), problems);
      }
      problems.add(
          problem(
              "wrong-shape",
              "",
              "",
              Place.START,
              "A star's document must hold named values, starting with star: its_name"));
    } catch (DocumentValue.MalformedException e) {
      problems.add(problem("not-yaml", "", "", e.place(), e.getMessage()));
    }
    return new Parsed("?", Optional.empty(), problems);
  }

  static Problem problem(String code, String part, String field, Place at, String message) {
    return new Problem(Problem.Severity.ERROR, code, part, field, at, message, Optional.empty());
  }

  private static Map<String, Dimension> dimensions(DocumentReader doc, List<Problem> problems) {
    Map<String, Dimension> out = new LinkedHashMap<>();
    each(
        doc,
        "dimensions",
        "the dimensions by name, each with its table and key",
        problems,
        (name, r) -> {
          Optional<TextValue> table = r.required("table", "the dimension's table");
          Optional<TableName> parsed = r.parsed("table", TableName::parse);
          Optional<TextValue> key = r.required("key", "its surrogate key");
          boolean time = r.truth("time", false);
          List<TextValue> numbers = r.texts("numbers");
          Map<String, List<TextValue>> hierarchies =
              r.paths(
                  "hierarchies",
                  "A hierarchy has two columns or more, from the whole to its parts, as in [hall, loom_code]");
          if (parsed.isPresent() && key.isPresent()) {
            out.put(
                name.text(),
                new Dimension(
                    name.text(),
                    name,
                    parsed.get(),
                    table.get(),
                    key.get(),
                    time,
                    numbers,
                    hierarchies));
          }
        });
    return out;
  }

  private static Map<String, Fact> facts(DocumentReader doc, List<Problem> problems) {
    Map<String, Fact> out = new LinkedHashMap<>();
    each(
        doc,
        "facts",
        "the facts by name, each with its table, grain, keys and measures",
        problems,
        (name, r) -> {
          Optional<TextValue> table = r.required("table", "the fact's table");
          Optional<TableName> parsed = r.parsed("table", TableName::parse);
          List<TextValue> grain = r.texts("grain");
          if (grain.isEmpty() && !r.has("grain")) {
            r.error(
                "missing-field",
                "grain",
                r.place(),
                "[grain] is missing: the columns that tell rows apart, as in grain: [roll_id]");
          }
          Map<TextValue, TextValue> keys = r.pairs("keys");
          List<TextValue> keep = r.texts("keep");
          Map<String, Measure> measures = measures(r, problems);
          parsed.ifPresent(
              t ->
                  out.put(
                      name.text(),
                      new Fact(name.text(), name, t, table.get(), grain, keys, keep, measures)));
        });
    return out;
  }

  private static Map<String, Measure> measures(DocumentReader fact, List<Problem> problems) {
    Map<String, Measure> out = new LinkedHashMap<>();
    fact.reader("measures")
        .ifPresent(
            all ->
                all.entries()
                    .forEach(
                        (name, value) -> {
                          if (!(value instanceof MapValue map)) {
                            all.error(
                                "wrong-shape",
                                name.text(),
                                value.place(),
                                "A measure is written {is: sum(metres), adds: fully}");
                            return;
                          }
                          DocumentReader r =
                              new DocumentReader(
                                  map, fact.step(), all.field(name.text()), problems);
                          Optional<TextValue> is =
                              r.required("is", "the formula, as in is: sum(metres)");
                          Adds adds =
                              Adds.valueOf(
                                  r.word("adds", "fully", "fully", "not-over-time", "not")
                                      .toUpperCase(java.util.Locale.ROOT)
                                      .replace('-', '_'));
                          String about = r.text("about").map(TextValue::text).orElse("");
                          r.finish();
                          if (!NAME.matcher(name.text()).matches()) {
                            r.error(
                                "wrong-name",
                                "",
                                name.place(),
                                "Invalid name [%s]: use lower-case letters, digits and underscores, since queries name it"
                                    .formatted(name.text()));
                          }
                          is.ifPresent(
                              f -> out.put(name.text(), new Measure(name, f, adds, about)));
                        }));
    return out;
  }

  /** Reads one named part. */
  private interface Part {
    void read(TextValue name, DocumentReader reader);
  }

  private static void each(
      DocumentReader doc, String field, String hint, List<Problem> problems, Part part) {
    Optional<DocumentReader> all = doc.reader(field);
    if (all.isEmpty() && !doc.has(field)) {
      doc.error("missing-field", field, doc.place(), "[%s] is missing: %s".formatted(field, hint));
    }
    all.ifPresent(
        a ->
            a.entries()
                .forEach(
                    (name, value) -> {
                      if (!(value instanceof MapValue map)) {
                        a.error(
                            "wrong-shape",
                            name.text(),
                            value.place(),
                            "[%s] must hold named values".formatted(name.text()));
                        return;
                      }
                      if (!NAME.matcher(name.text()).matches()) {
                        a.error(
                            "wrong-name",
                            name.text(),
                            name.place(),
                            "Invalid name [%s]: use lower-case letters, digits and underscores, since queries name it"
                                .formatted(name.text()));
                      }
                      DocumentReader r = new DocumentReader(map, name.text(), field, problems);
                      part.read(name, r);
                      r.finish();
                    }));
  }

  /** Facts name dimensions that are there. */
  private void connect(List<Problem> problems) {
    for (Fact fact : facts.values()) {
      fact.keys()
          .forEach(
              (column, dimension) -> {
                if (!dimensions.containsKey(dimension.text())) {
                  List<String> names = List.copyOf(dimensions.keySet());
                  problems.add(
                      new Problem(
                          Problem.Severity.ERROR,
                          "unknown-dimension",
                          fact.name(),
                          "keys",
                          dimension.place(),
                          "There is no dimension [%s]; there are %s"
                              .formatted(dimension.text(), String.join(", ", names)),
                          Names.nearest(dimension.text(), names)));
                }
              });
    }
  }
}

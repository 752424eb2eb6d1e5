package yardage.core.sampler;

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
import yardage.core.schedule.Schedule;

/**
 * A sampler's document: what its text says, before any table is looked at.
 *
 * @param choices what can be chosen for the whole page, by column
 * @param paths columns from the whole to its parts, by name; a block that goes by a path shows the
 *     first of them that is not chosen yet
 * @param refresh when the page is worked out by itself, and shown anew where it is open
 */
public record SamplerDocument(
    String name,
    String title,
    String about,
    Map<String, Choice> choices,
    Map<String, List<TextValue>> paths,
    Optional<Schedule> refresh,
    List<Block> blocks) {
  private static final Pattern NAME = Pattern.compile("[A-Za-z_]\\w*\\.[A-Za-z_]\\w*");
  private static final int MOST_BLOCKS = 60;
  private static final int MOST_ROWS = 10_000;
  private static final List<String> CONTENTS = List.of("number", "chart", "table", "rows", "text");

  /**
   * A choice.
   *
   * @param many whether several values can be chosen at once
   * @param begins what is chosen when the page is opened
   */
  public record Choice(TextValue column, String label, boolean many, List<String> begins) {}

  /** What is chosen when the page is opened. */
  public Chosen begins() {
    Map<String, List<Optional<String>>> out = new LinkedHashMap<>();
    choices
        .values()
        .forEach(c -> out.put(c.column().text(), c.begins().stream().map(Optional::of).toList()));
    return new Chosen(out);
  }

  /** What a text says, and what is wrong with it; a document only where nothing is. */
  public record Parsed(String name, Optional<SamplerDocument> document, List<Problem> problems) {}

  /** Reads a document; never throws for what the text says. */
  public static Parsed parse(String text) {
    List<Problem> problems = new ArrayList<>();
    try {
      if (DocumentValue.parse(text) instanceof MapValue map) {
        return new Reading(problems).document(new DocumentReader(map, "", "", problems));
      }
      problems.add(
          problem(
              "wrong-shape",
              Place.START,
              "A sampler's document must hold named values, starting with sampler: its-name"));
    } catch (DocumentValue.MalformedException e) {
      problems.add(problem("not-yaml", e.place(), e.getMessage()));
    }
    return new Parsed("?", Optional.empty(), problems);
  }

  private static Problem problem(String code, Place place, String message) {
    return new Problem(Problem.Severity.ERROR, code, "", "", place, message, Optional.empty());
  }

  private record Reading(List<Problem> problems) {

    Parsed document(DocumentReader doc) {
      String name = doc.required("sampler", "the sampler's name").map(TextValue::text).orElse("?");
      if (!name.equals("?") && !Names.isOfDocument(name)) {
        doc.error("wrong-name", "sampler", doc.place(), Names.wrongOfDocument(name));
      }
      String title = doc.text("title").map(TextValue::text).orElse(name);
      String about = doc.text("about").map(TextValue::text).orElse("");
      Optional<TextValue> over = doc.text("over");
      Map<String, Choice> choices = new LinkedHashMap<>();
      each(
          doc,
          "choices",
          "{label: mill, many: true}",
          (n, r) -> choices.put(n.text(), choice(n, r)));
      Map<String, List<TextValue>> paths =
          doc.paths("paths", "A path leads through two columns or more, as in [mill, hall, loom]");
      Optional<Schedule> refresh = doc.reader("refresh").flatMap(Schedule::read);
      List<Block> blocks = new ArrayList<>();
      if (!doc.has("blocks")) {
        doc.error(
            "missing-field",
            "blocks",
            doc.place(),
            "[blocks] is missing: what the page shows, by name");
      }
      each(
          doc,
          "blocks",
          "{number: sum(metres)}",
          (n, r) -> content(n, r, over).ifPresent(c -> blocks.add(block(n, r, c))));
      if (blocks.size() > MOST_BLOCKS) {
        doc.error(
            "too-many",
            "blocks",
            doc.place(),
            "There are %,d blocks; there may be %d. Make several samplers"
                .formatted(blocks.size(), MOST_BLOCKS));
      }
      doc.finish();
      Optional<SamplerDocument> document =
          problems.isEmpty()
              ? Optional.of(
                  new SamplerDocument(name, title, about, choices, paths, refresh, blocks))
              : Optional.empty();
      return new Parsed(name, document, problems);
    }

    private interface Entry {
      void take(TextValue name, DocumentReader reader);
    }

    private void each(DocumentReader doc, String field, String example, Entry entry) {
      doc.reader(field)
          .ifPresent(
              d ->
                  d.readers("Each of [%s] is written %s".formatted(field, example))
                      .forEach(
                          (name, reader) -> {
                            entry.take(name, reader);
                            reader.finish();
                          }));
    }

    private Choice choice(TextValue name, DocumentReader r) {
      return new Choice(
          r.text("column").orElse(name),
          r.text("label").map(TextValue::text).orElse(name.text().replace('_', ' ')),
          r.truth("many", false),
          r.texts("begin").stream().map(TextValue::text).toList());
    }

    private Block block(TextValue name, DocumentReader r, Block.Content content) {
      int width = content instanceof Block.Answer a && a.form() == Block.Form.NUMBER ? 3 : 12;
      return new Block(
          name.text(),
          name,
          r.text("title").map(TextValue::text).orElse(""),
          whole(r, "width", width, Block.WHOLE_WIDTH),
          content);
    }

    private Optional<Block.Content> content(
        TextValue name, DocumentReader r, Optional<TextValue> page) {
      r.has("title");
      r.has("width");
      List<String> there = CONTENTS.stream().filter(r::has).toList();
      if (there.size() != 1) {
        r.error(
            "wrong-shape",
            "",
            name.place(),
            "Block [%s] has %s; it shows one of %s"
                .formatted(
                    name.text(),
                    there.isEmpty() ? "nothing to show" : String.join(" and ", there),
                    String.join(", ", CONTENTS)));
        return Optional.empty();
      }
      if (there.get(0).equals("text")) {
        return r.text("text").map(t -> new Block.Words(t.text()));
      }
      String unit = r.text("unit").map(TextValue::text).orElse("");
      Optional<TextValue> sql = r.text("query");
      return switch (there.get(0)) {
        case "number" -> number(name, r, page, unit);
        case "rows" ->
            over(name, r, page)
                .map(
                    over ->
                        new Block.Answer(
                            Block.Form.ROWS,
                            "",
                            unit,
                            new Block.Listed(
                                over,
                                r.texts("rows"),
                                r.text("where"),
                                r.texts("order"),
                                most(r, 100))));
        default -> {
          boolean chart = there.get(0).equals("chart");
          String kind = chart ? r.word("chart", "bar", Block.KINDS.toArray(String[]::new)) : "";
          if (!chart) {
            r.truth("table", true);
          }
          Block.Form form = chart ? Block.Form.CHART : Block.Form.TABLE;
          yield sql.isPresent()
              ? Optional.of(
                  new Block.Answer(form, kind, unit, new Block.Own(sql.get(), most(r, 1000))))
              : over(name, r, page)
                  .map(over -> new Block.Answer(form, kind, unit, grouped(name, r, over)));
        }
      };
    }

    /** The number, and the one that it is held against. */
    private Optional<Block.Content> number(
        TextValue name, DocumentReader r, Optional<TextValue> page, String unit) {
      Map<TextValue, TextValue> of = new LinkedHashMap<>();
      TextValue number = r.text("number").orElse(name);
      of.put(number.withText("value"), number);
      r.text("before").ifPresent(b -> of.put(b.withText("before"), b));
      return over(name, r, page)
          .map(
              over ->
                  new Block.Answer(
                      Block.Form.NUMBER,
                      "",
                      unit,
                      new Block.Grouped(over, List.of(), of, r.text("where"), List.of(), 1)));
    }

    private Block.Question grouped(TextValue name, DocumentReader r, TextValue over) {
      Map<TextValue, TextValue> of = new LinkedHashMap<>();
      if (r.value("of").orElse(null) instanceof MapValue) {
        of.putAll(r.pairs("of"));
      } else {
        r.texts("of").forEach(t -> of.put(t, t));
      }
      if (of.isEmpty()) {
        r.error(
            "missing-field",
            "of",
            name.place(),
            "[of] is missing: measures by name, as in [metres_woven], or {metres: sum(metres)}");
      }
      return new Block.Grouped(
          over, r.texts("by"), of, r.text("where"), r.texts("order"), most(r, 1000));
    }

    private Optional<TextValue> over(TextValue name, DocumentReader r, Optional<TextValue> page) {
      Optional<TextValue> over = r.text("over").or(() -> page);
      if (over.isEmpty()) {
        r.error(
            "missing-field",
            "over",
            name.place(),
            "[over] is missing: the table, or the fact of a star as in cloth.rolls, here or for the whole page");
      }
      over.filter(o -> !NAME.matcher(o.text()).matches())
          .ifPresent(
              o ->
                  r.error(
                      "wrong-name",
                      "over",
                      o.place(),
                      "[%s] is no table and no fact of a star, which are named as in mart.cloth or cloth.rolls"
                          .formatted(o.text())));
      return over;
    }

    private int most(DocumentReader r, int otherwise) {
      return whole(r, "most", otherwise, MOST_ROWS);
    }

    private int whole(DocumentReader r, String field, int otherwise, int most) {
      return r.parsed(
              field,
              text -> {
                if (!text.matches("\\d{1,6}")
                    || Integer.parseInt(text) < 1
                    || Integer.parseInt(text) > most) {
                  throw new IllegalArgumentException(
                      "[%s] is a number from 1 to %,d, not %s".formatted(field, most, text));
                }
                return Integer.parseInt(text);
              })
          .orElse(otherwise);
    }
  }
}

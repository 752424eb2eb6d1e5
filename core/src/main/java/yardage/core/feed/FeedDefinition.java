package yardage.core.feed;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.format.text.DelimitedLayout;
import yardage.core.format.text.DelimitedReader;
import yardage.core.format.text.FieldRule;

/**
 * A feed: where its files are, how they are written, which columns they have.
 *
 * @param files patterns below the inbox, with {@code * ** ? {a,b}}
 * @param onlyNew whether a run takes only files that its pipeline has not taken before, or all of
 *     them each time
 * @param maxSetAsideRows a run stops past this many rows set aside; empty for no such limit
 * @param maxSetAsideShare a run stops when more than this share of the records was set aside
 */
public record FeedDefinition(
    String name,
    String about,
    List<String> files,
    DelimitedLayout layout,
    List<FieldRule> columns,
    boolean onlyNew,
    Optional<Long> maxSetAsideRows,
    double maxSetAsideShare) {

  static final double DEFAULT_SHARE = 0.1;
  private static final java.util.regex.Pattern NAME =
      java.util.regex.Pattern.compile("[a-z][a-z0-9-]{0,62}");

  public FeedDefinition {
    files = List.copyOf(files);
    columns = List.copyOf(columns);
  }

  /** The columns that a reader of this feed sees. */
  public Schema schema() {
    return new Schema(
        columns.stream().map(c -> new Schema.Field(c.name(), c.type(), !c.required())).toList());
  }

  /** A document read: the definition if it is sound, and what was found. */
  public record Parsed(Optional<FeedDefinition> feed, List<Problem> problems) {}

  public static Parsed parse(String text) {
    List<Problem> problems = new ArrayList<>();
    try {
      if (!(DocumentValue.parse(text) instanceof MapValue map)) {
        problems.add(
            error(
                "wrong-shape",
                Place.START,
                "A feed's document must hold named values, starting with feed: its-name"));
        return new Parsed(Optional.empty(), problems);
      }
      FeedDefinition feed = read(new DocumentReader(map, "", "", problems), problems);
      return new Parsed(problems.isEmpty() ? Optional.of(feed) : Optional.empty(), problems);
    } catch (DocumentValue.MalformedException e) {
      problems.add(error("not-yaml", e.place(), e.getMessage()));
      return new Parsed(Optional.empty(), problems);
    }
  }

  private static Problem error(String code, Place place, String message) {
    return new Problem(Problem.Severity.ERROR, code, "", "", place, message, Optional.empty());
  }

  private static FeedDefinition read(DocumentReader doc, List<Problem> problems) {
    Optional<TextValue> name = doc.required("feed", "the feed's name");
    name.filter(n -> !NAME.matcher(n.text()).matches())
        .ifPresent(
            n ->
                doc.error(
                    "wrong-name",
                    "feed",
                    n.place(),
                    "Invalid name [%s]: use lower-case letters, digits and hyphens, starting with a letter"
                        .formatted(n.text())));
    String about = doc.text("about").map(TextValue::text).orElse("");
    List<TextValue> files = doc.texts("files");
    if (files.isEmpty()) {
      doc.error(
          "missing-field",
          "files",
          doc.place(),
          "[files] is missing: a pattern of the files below the inbox, as in ledger/*.txt");
    }
    files.forEach(
        f ->
            FileDiscovery.complaint(f.text())
                .ifPresent(c -> doc.error("wrong-value", "files", f.place(), c)));
    DelimitedLayout layout = layout(doc);
    List<String> nulls =
        doc.has("nulls") ? doc.texts("nulls").stream().map(TextValue::text).toList() : List.of("");
    List<FieldRule> columns = new ArrayList<>();
    Optional<DocumentReader> declared = doc.reader("columns");
    if (declared.isEmpty() && !doc.has("columns")) {
      doc.error(
          "missing-field",
          "columns",
          doc.place(),
          "[columns] is missing: each column's name and type");
    }
    declared.ifPresent(
        reader -> {
          for (Map.Entry<TextValue, DocumentValue> e : reader.entries().entrySet()) {
            column(e.getKey(), e.getValue(), nulls, reader, problems).ifPresent(columns::add);
          }
          if (reader.entries().isEmpty()) {
            reader.error("missing-field", "", reader.place(), "A feed needs at least one column");
          }
        });
    boolean onlyNew = doc.word("take", "new", "new", "all").equals("new");
    Optional<DocumentReader> limit = doc.reader("set-aside-limit");
    Optional<Long> rows = limit.flatMap(l -> l.parsed("rows", FeedDefinition::count));
    double share =
        limit
            .flatMap(l -> l.parsed("share", FeedDefinition::share))
            .orElse(rows.isPresent() ? 1.0 : DEFAULT_SHARE);
    limit.ifPresent(DocumentReader::finish);
    doc.finish();
    return new FeedDefinition(
        name.map(TextValue::text).orElse("?"),
        about,
        files.stream().map(TextValue::text).toList(),
        layout,
        columns,
        onlyNew,
        rows,
        share);
  }

  private static DelimitedLayout layout(DocumentReader doc) {
    Optional<DocumentReader> text = doc.reader("text");
    if (text.isEmpty()) {
      if (!doc.has("text")) {
        doc.error(
            "missing-field",
            "text",
            doc.place(),
            "[text] is missing: how the files are written, as in text: {separator: \";\", header: true}");
      }
      return new DelimitedLayout(",", '"', true);
    }
    String separator =
        text.get().text("separator").map(v -> v.text().replace("\\t", "\t")).orElse(",");
    Optional<TextValue> quoteValue = text.get().text("quote");
    String quote = quoteValue.map(TextValue::text).orElse("\"");
    boolean header = text.get().truth("header", true);
    Place at = quoteValue.map(TextValue::place).orElse(text.get().place());
    text.get().finish();
    try {
      if (quote.length() > 1 && !quote.equals("none")) {
        throw new IllegalArgumentException(
            "Invalid quote [%s]: write one character, or none".formatted(quote));
      }
      return new DelimitedLayout(
          separator, quote.isEmpty() || quote.equals("none") ? 0 : quote.charAt(0), header);
    } catch (IllegalArgumentException e) {
      doc.error("wrong-value", "text", at, e.getMessage());
      return new DelimitedLayout(",", '"', header);
    }
  }

  private static Optional<FieldRule> column(
      TextValue name,
      DocumentValue value,
      List<String> nulls,
      DocumentReader columns,
      List<Problem> problems) {
    if (value instanceof TextValue shortForm) {
      return columns
          .attempt(shortForm, name.text(), Type::parse)
          .map(t -> new FieldRule(name.text(), t, false, nulls, Optional.empty()));
    }
    if (!(value instanceof MapValue map)) {
      columns.error(
          "wrong-shape",
          name.text(),
          value.place(),
          "A column is a type, or named values such as {type: date, required: true}");
      return Optional.empty();
    }
    DocumentReader reader =
        new DocumentReader(map, name.text(), columns.field(name.text()), problems);
    reader.required("type", "the column's type");
    Optional<Type> type = reader.parsed("type", Type::parse);
    boolean required = reader.truth("required", false);
    List<String> own =
        reader.has("nulls") ? reader.texts("nulls").stream().map(TextValue::text).toList() : nulls;
    Optional<TextValue> pattern = reader.text("format");
    reader.finish();
    if (type.isEmpty()) {
      return Optional.empty();
    }
    FieldRule rule =
        new FieldRule(name.text(), type.get(), required, own, pattern.map(TextValue::text));
    if (pattern.isPresent()) {
      boolean temporal =
          type.get().kind() == Type.Kind.DATE || type.get().kind() == Type.Kind.TIMESTAMP;
      if (!temporal) {
        reader.error(
            "wrong-value",
            "format",
            pattern.get().place(),
            "Only dates and timestamps have a format");
        return Optional.empty();
      }
      reader.attempt(pattern.get(), "format", p -> DelimitedReader.checkPattern(rule));
    }
    return Optional.of(rule);
  }

  private static long count(String text) {
    try {
      long n = Long.parseLong(text);
      if (n >= 0) {
        return n;
      }
    } catch (NumberFormatException e) {
      // The message below says it.
    }
    throw new IllegalArgumentException(
        "Invalid count [%s]: write a whole number, 0 or more".formatted(text));
  }

  private static double share(String text) {
    try {
      double v =
          text.endsWith("%")
              ? Double.parseDouble(text.substring(0, text.length() - 1)) / 100
              : Double.parseDouble(text);
      if (v >= 0 && v <= 1) {
        return v;
      }
    } catch (NumberFormatException e) {
      // The message below says it.
    }
    throw new IllegalArgumentException(
        "Invalid share [%s]: write a share from 0 to 1, or a percentage".formatted(text));
  }
}

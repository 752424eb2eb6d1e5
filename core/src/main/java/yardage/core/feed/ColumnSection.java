package yardage.core.feed;

import java.time.ZoneId;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import yardage.core.column.Type;
import yardage.core.document.Amounts;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.MapValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Place;
import yardage.core.document.Problem;
import yardage.core.format.record.FieldParser;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.LocalZone;
import yardage.core.format.record.NumberStyle;

/** Reads the columns of a feed's document; what the feed says for all of them goes for each. */
final class ColumnSection {
  private static final Pattern CHARACTERS = Pattern.compile("(\\d{1,6})(?: ?- ?(\\d{1,6}))?");

  private final FeedFormat format;
  private final List<Problem> problems;
  private final List<String> nulls;
  private final boolean trim;
  private final boolean nullIfWrong;
  private final Optional<NumberStyle> numbers;
  private final Optional<FieldRule.TruthWords> truths;
  private final Optional<LocalZone> zone;

  ColumnSection(DocumentReader doc, FeedFormat format, List<Problem> problems) {
    this.format = format;
    this.problems = problems;
    this.nulls =
        doc.has("nulls") ? texts(doc, "nulls") : format.isNested() ? List.of() : List.of("");
    // Fields of a fixed width are filled up with blanks.
    this.trim = doc.truth("trim", format instanceof FeedFormat.FixedWidth);
    this.nullIfWrong = nullIfWrong(doc, false);
    this.numbers = numbers(doc);
    this.truths = truths(doc);
    this.zone = zone(doc);
  }

  private static List<String> texts(DocumentReader reader, String name) {
    return reader.texts(name).stream().map(TextValue::text).toList();
  }

  private static boolean nullIfWrong(DocumentReader reader, boolean otherwise) {
    return reader
        .word("if-wrong", otherwise ? "null" : "set-aside", "set-aside", "null")
        .equals("null");
  }

  private static Optional<NumberStyle> numbers(DocumentReader reader) {
    Optional<DocumentReader> section = reader.reader("numbers");
    if (section.isEmpty()) {
      return Optional.empty();
    }
    DocumentReader s = section.get();
    Optional<TextValue> decimal = s.text("decimal");
    Optional<TextValue> group = s.text("group");
    boolean percent = s.truth("percent", false);
    List<String> currency = texts(s, "currency");
    boolean minusBehind = s.word("minus", "before", "before", "behind").equals("behind");
    boolean notFinite = s.truth("not-finite", false);
    s.finish();
    try {
      return Optional.of(
          new NumberStyle(
              decimal.map(v -> one("decimal", v)).orElse('.'),
              group.map(v -> one("group", v)).orElse((char) 0),
              percent,
              currency,
              minusBehind,
              notFinite));
    } catch (IllegalArgumentException e) {
      s.error(
          "wrong-value",
          "",
          decimal.or(() -> group).map(TextValue::place).orElse(s.place()),
          e.getMessage());
      return Optional.empty();
    }
  }

  private static char one(String what, TextValue value) {
    if (value.text().length() != 1) {
      throw new IllegalArgumentException(
          "Invalid %s [%s]: write one character".formatted(what, value.text()));
    }
    return value.text().charAt(0);
  }

  private static Optional<FieldRule.TruthWords> truths(DocumentReader reader) {
    if (!reader.has("yes") && !reader.has("no")) {
      return Optional.empty();
    }
    List<String> yes = texts(reader, "yes");
    List<String> no = texts(reader, "no");
    if (yes.isEmpty() || no.isEmpty()) {
      String missing = yes.isEmpty() ? "yes" : "no";
      reader.error(
          "missing-field",
          missing,
          reader.place(),
          "[%s] is missing: the words for true stand in yes and those for false in no"
              .formatted(missing));
      return Optional.empty();
    }
    return Optional.of(new FieldRule.TruthWords(yes, no));
  }

  Optional<FeedColumn> column(TextValue name, DocumentValue value, DocumentReader columns) {
    if (value instanceof TextValue shortForm) {
      Optional<Type> type = columns.attempt(shortForm, name.text(), this::type);
      DocumentReader alone =
          new DocumentReader(
              new MapValue(java.util.Map.of(), value.place()),
              name.text(),
              columns.field(name.text()),
              problems);
      return type.flatMap(
          t ->
              named(Optional.empty(), value.place(), alone)
                  .map(source -> new FeedColumn(rule(name.text(), t), source, Optional.empty())));
    }
    if (!(value instanceof MapValue map)) {
      columns.error(
          "wrong-shape",
          name.text(),
          value.place(),
          "A column is a type, or named values such as {type: date, required: true}");
      return Optional.empty();
    }
    int before = problems.size();
    DocumentReader reader =
        new DocumentReader(map, name.text(), columns.field(name.text()), problems);
    Optional<FeedColumn> column =
        reader.has("add") ? added(name.text(), reader) : declared(name.text(), reader);
    reader.finish();
    return problems.size() > before ? Optional.empty() : column;
  }

  private Type type(String text) {
    Type type = Type.parse(text);
    if (type.isNested() && !format.isNested()) {
      throw new IllegalArgumentException(
          "Type [%s] has parts, and [%s] files have none; declare a varchar"
              .formatted(type, format.word()));
    }
    return type;
  }

  private FieldRule rule(String name, Type type) {
    return new FieldRule(
        name,
        type,
        false,
        nulls,
        List.of(),
        type.isNumeric() || type.isNested() ? numbers : Optional.empty(),
        trim,
        type.kind() == Type.Kind.BOOLEAN || type.isNested() ? truths : Optional.empty(),
        Optional.empty(),
        nullIfWrong,
        hasTimes(type) ? zone : Optional.empty());
  }

  private static boolean hasTimes(Type type) {
    return type.isTimestamp() || type.isNested();
  }

  /** A zone by its name alone, or with what becomes of times that are skipped or come twice. */
  private static Optional<LocalZone> zone(DocumentReader reader) {
    if (reader.value("zone").orElse(null) instanceof MapValue) {
      DocumentReader s = reader.reader("zone").orElseThrow();
      s.required("name", "the zone, as in name: Europe/Lisbon");
      Optional<ZoneId> id = s.parsed("name", Amounts::zone);
      String skipped = s.word("skipped", "set-aside", "set-aside", "later");
      String repeated = s.word("repeated", "first", "first", "second", "set-aside");
      s.finish();
      return id.map(
          z ->
              new LocalZone(
                  z,
                  LocalZone.Skipped.valueOf(constant(skipped)),
                  LocalZone.Repeated.valueOf(constant(repeated))));
    }
    return reader
        .parsed("zone", Amounts::zone)
        .map(z -> new LocalZone(z, LocalZone.Skipped.SET_ASIDE, LocalZone.Repeated.FIRST));
  }

  private static String constant(String word) {
    return word.toUpperCase(Locale.ROOT).replace('-', '_');
  }

  private Optional<FeedColumn> added(String name, DocumentReader reader) {
    FeedColumn.Addition[] all = FeedColumn.Addition.values();
    String word =
        reader.word(
            "add", "", Arrays.stream(all).map(FeedColumn.Addition::word).toArray(String[]::new));
    Optional<FeedColumn.Addition> what =
        Arrays.stream(all).filter(a -> a.word().equals(word)).findFirst();
    return what.map(
        a ->
            new FeedColumn(
                FieldRule.of(name, a.type()), new FeedColumn.Added(a), Optional.empty()));
  }

  private Optional<FeedColumn> declared(String name, DocumentReader reader) {
    reader.required("type", "the column's type");
    Optional<Type> type = reader.parsed("type", this::type);
    boolean required = reader.truth("required", false);
    List<String> own = reader.has("nulls") ? texts(reader, "nulls") : nulls;
    List<TextValue> formats = reader.texts("format");
    Optional<NumberStyle> style = numbers(reader);
    boolean trims = reader.truth("trim", trim);
    Optional<FieldRule.TruthWords> words = truths(reader);
    Optional<TextValue> otherwise = reader.text("default");
    Optional<LocalZone> ownZone = reader.has("zone") ? zone(reader) : zone;
    boolean wrongIsNull = nullIfWrong(reader, nullIfWrong);
    boolean mayBeAbsent = reader.truth("may-be-absent", false);
    Optional<FeedColumn.Source> source = source(reader);
    Optional<FeedColumn.Check> check =
        reader.text("check").map(v -> new FeedColumn.Check(v.asPlaced(), v.place()));
    if (type.isEmpty() || source.isEmpty()) {
      return Optional.empty();
    }
    if (style.isPresent() && !type.get().isNumeric() && !type.get().isNested()) {
      misplaced(reader, "numbers", "numbers");
    }
    if (words.isPresent() && type.get().kind() != Type.Kind.BOOLEAN && !type.get().isNested()) {
      misplaced(reader, reader.has("yes") ? "yes" : "no", "booleans");
    }
    FieldRule base = rule(name, type.get());
    FieldRule rule =
        new FieldRule(
            name,
            type.get(),
            required,
            own,
            formats.stream().map(TextValue::text).toList(),
            style.or(base::numbers),
            trims,
            words.or(base::truths),
            otherwise.map(TextValue::text),
            wrongIsNull,
            hasTimes(type.get()) ? ownZone : Optional.empty());
    if (reader.has("zone") && !hasTimes(type.get())) {
      misplaced(reader, "zone", "timestamps");
    }
    checkAlone(rule, formats, otherwise, reader);
    return Optional.of(new FeedColumn(rule, source.get(), check, mayBeAbsent));
  }

  private static void checkAlone(
      FieldRule rule,
      List<TextValue> formats,
      Optional<TextValue> otherwise,
      DocumentReader reader) {
    try {
      FieldParser.check(rule);
    } catch (IllegalArgumentException e) {
      Optional<TextValue> format = formats.stream().findFirst();
      reader.error(
          "wrong-value",
          otherwise.isPresent() ? "default" : "format",
          otherwise.or(() -> format).map(TextValue::place).orElse(reader.place()),
          e.getMessage());
    }
  }

  private static void misplaced(DocumentReader reader, String field, String what) {
    reader.error(
        "wrong-value",
        field,
        reader.value(field).map(DocumentValue::place).orElse(reader.place()),
        "Only %s have [%s]".formatted(what, field));
  }

  private Optional<FeedColumn.Source> source(DocumentReader reader) {
    List<String> given = List.of("from", "at", "folder").stream().filter(reader::has).toList();
    if (given.size() > 1) {
      reader.error(
          "wrong-value",
          given.get(1),
          reader.value(given.get(1)).orElseThrow().place(),
          "A column has one source, and here are "
              + given.stream().collect(Collectors.joining(" and ")));
      return Optional.empty();
    }
    if (reader.has("folder")) {
      return reader.text("folder").map(v -> new FeedColumn.Folder(v.text()));
    }
    if (reader.has("at")) {
      if (!(format instanceof FeedFormat.FixedWidth)) {
        reader.error(
            "wrong-value",
            "at",
            reader.value("at").orElseThrow().place(),
            "Only fixed-width files have columns at characters; name the field with from");
        return Optional.empty();
      }
      return reader.parsed("at", ColumnSection::characters);
    }
    Optional<TextValue> from = reader.text("from");
    return named(
        from.map(TextValue::text), from.map(TextValue::place).orElse(reader.place()), reader);
  }

  /** A field by its name, where the format has names. */
  private Optional<FeedColumn.Source> named(
      Optional<String> from, Place at, DocumentReader reader) {
    if (format instanceof FeedFormat.FixedWidth) {
      reader.error(
          "missing-field",
          "at",
          at,
          "[at] is missing: the column's characters, counted from 1, as in at: 1-10");
      return Optional.empty();
    }
    if (format instanceof FeedFormat.Lines lines) {
      String group = from.orElse(reader.step());
      if (!lines.pattern().names().contains(group)) {
        reader.error(
            "unknown-name",
            "from",
            at,
            "The pattern has no group [%s]; there are %s"
                .formatted(group, String.join(", ", lines.pattern().names())));
        return Optional.empty();
      }
    }
    return Optional.of(new FeedColumn.Named(from));
  }

  private static FeedColumn.Source characters(String text) {
    Matcher m = CHARACTERS.matcher(text.strip());
    if (m.matches()) {
      int first = Integer.parseInt(m.group(1));
      int last = m.group(2) == null ? first : Integer.parseInt(m.group(2));
      if (first >= 1 && last >= first) {
        return new FeedColumn.Characters(first, last);
      }
    }
    throw new IllegalArgumentException(
        "Invalid characters [%s]: write the first and the last, counted from 1, as in 1-10"
            .formatted(text));
  }
}

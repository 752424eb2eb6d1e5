package yardage.core.feed;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import yardage.core.document.Amounts;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Names;
import yardage.core.document.Problem;
import yardage.core.format.Decompression;
import yardage.core.format.TextEncoding;
import yardage.core.format.text.LineEdits;

/** Reads a feed's document into a definition, noting what is wrong. */
final class FeedDocument {
  private final DocumentReader doc;
  private final List<Problem> problems;

  FeedDocument(DocumentReader doc, List<Problem> problems) {
    this.doc = doc;
    this.problems = problems;
  }

  FeedDefinition read() {
    String name = name();
    String about = doc.text("about").map(TextValue::text).orElse("");
    Optional<String> connection = doc.text("connection").map(TextValue::text);
    List<String> files = files();
    FormatSection formats = new FormatSection(doc);
    FeedFormat format = formats.read();
    TextEncoding encoding = doc.parsed("encoding", TextEncoding::parse).orElse(TextEncoding.AUTO);
    List<FeedColumn> columns = columns(format);
    boolean onlyNew = doc.word("take", "new", "new", "all").equals("new");
    IntakePolicy intake = intake(onlyNew);
    ChangePolicy change =
        ChangePolicy.of(doc.word("change", ChangePolicy.STOP.word(), ChangePolicy.words()));
    if (change == ChangePolicy.STRAYS
        && columns.stream().anyMatch(c -> c.name().equalsIgnoreCase(ChangePolicy.STRAYS_COLUMN))) {
      doc.error(
          "wrong-value",
          "change",
          doc.value("change").map(DocumentValue::place).orElse(doc.place()),
          "A column [strays] is declared, and change: strays adds one of that name; rename the column");
    }
    DamagedFiles damaged =
        DamagedFiles.of(doc.word("damaged-files", DamagedFiles.STOP.word(), DamagedFiles.words()));
    FeedDefinition feed =
        new FeedDefinition(
            name,
            about,
            connection,
            files,
            format,
            encoding,
            columns,
            intake,
            setAsideLimit(),
            change,
            damaged,
            inflateLimit(),
            entries(),
            doc.word("no-rows", "stop", "stop", "take").equals("take"),
            formats.edits(),
            trailer(formats.edits(), columns));
    doc.finish();
    return feed;
  }

  private String name() {
    Optional<TextValue> name = doc.required("feed", "the feed's name");
    name.filter(n -> !Names.isOfDocument(n.text()))
        .ifPresent(
            n -> doc.error("wrong-name", "feed", n.place(), Names.wrongOfDocument(n.text())));
    return name.map(TextValue::text).orElse("?");
  }

  private List<String> files() {
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
    return files.stream().map(TextValue::text).toList();
  }

  private Optional<Trailer> trailer(LineEdits edits, List<FeedColumn> columns) {
    Optional<DocumentReader> section = doc.reader("trailer");
    if (section.isEmpty()) {
      return Optional.empty();
    }
    DocumentReader s = section.get();
    s.required("pattern", "a pattern of the last line, with named groups");
    Optional<com.google.re2j.Pattern> pattern = s.parsed("pattern", Trailer::compile);
    Optional<TextValue> rows = s.text("rows");
    Map<TextValue, TextValue> sums = s.pairs("sums");
    s.finish();
    if (edits.skipLast() == 0) {
      doc.error(
          "missing-field",
          "trailer",
          s.place(),
          "A trailer is a last line that is not a row: say skip-last-lines: 1 in the format");
    }
    if (rows.isEmpty() && sums.isEmpty()) {
      doc.error(
          "missing-field",
          "trailer",
          s.place(),
          "A trailer says the number of [rows], or [sums] of columns, or both, by the pattern's groups");
    }
    sums.forEach((column, group) -> summed(column, columns, s));
    return pattern.map(
        p -> {
          Map<String, String> byColumn = new LinkedHashMap<>();
          sums.forEach((column, group) -> byColumn.put(column.text(), group.text()));
          Trailer trailer = new Trailer(p, rows.map(TextValue::text), byColumn);
          rows.ifPresent(g -> grouped(g, trailer, s));
          sums.values().forEach(g -> grouped(g, trailer, s));
          return trailer;
        });
  }

  private static void summed(TextValue column, List<FeedColumn> columns, DocumentReader s) {
    boolean exact =
        columns.stream()
            .anyMatch(
                c ->
                    c.name().equals(column.text())
                        && c.rule().type().isNumeric()
                        && !c.rule().type().isApproximate());
    if (!exact) {
      s.error(
          "unknown-name",
          "sums",
          column.place(),
          "[%s] is not a column of whole numbers or decimals".formatted(column.text()));
    }
  }

  private static void grouped(TextValue group, Trailer trailer, DocumentReader s) {
    if (!trailer.groups().contains(group.text())) {
      s.error(
          "unknown-name",
          "",
          group.place(),
          "The pattern has no group [%s]%s"
              .formatted(group.text(), Names.instead(group.text(), trailer.groups())));
    }
  }

  private List<String> entries() {
    List<TextValue> entries = doc.texts("entries");
    entries.forEach(
        e ->
            FileDiscovery.complaint(e.text())
                .ifPresent(c -> doc.error("wrong-value", "entries", e.place(), c)));
    return entries.stream().map(TextValue::text).toList();
  }

  private List<FeedColumn> columns(FeedFormat format) {
    ColumnSection section = new ColumnSection(doc, format, problems);
    List<FeedColumn> columns = new ArrayList<>();
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
            section.column(e.getKey(), e.getValue(), reader).ifPresent(columns::add);
          }
          if (reader.entries().isEmpty()) {
            reader.error("missing-field", "", reader.place(), "A feed needs at least one column");
          } else if (columns.size() == reader.entries().size()
              && columns.stream().noneMatch(FeedColumn::isField)) {
            reader.error(
                "missing-field",
                "",
                reader.place(),
                "A feed needs at least one column that is read out of its records");
          }
        });
    return columns;
  }

  private IntakePolicy intake(boolean onlyNew) {
    IntakePolicy d = IntakePolicy.DEFAULT;
    Optional<DocumentReader> section = doc.reader("intake");
    if (section.isEmpty()) {
      return new IntakePolicy(
          onlyNew,
          d.order(),
          d.mostFiles(),
          d.mostBytes(),
          d.stillFor(),
          d.replaced(),
          d.repeated(),
          d.doneFile());
    }
    DocumentReader s = section.get();
    IntakePolicy policy =
        new IntakePolicy(
            onlyNew,
            IntakePolicy.Order.valueOf(
                s.word("order", "name", "name", "oldest", "newest").toUpperCase(Locale.ROOT)),
            s.parsed("most-files", FeedDocument::positive).orElse(d.mostFiles()),
            s.parsed("most-bytes", Amounts::bytes).orElse(d.mostBytes()),
            s.parsed("still-for", Amounts::duration).orElse(d.stillFor()),
            again(s, "replaced", d.replaced()),
            again(s, "repeated", d.repeated()),
            s.parsed("done-file", DoneFile::parse));
    s.finish();
    return policy;
  }

  private static IntakePolicy.Again again(
      DocumentReader s, String name, IntakePolicy.Again otherwise) {
    String[] words =
        name.equals("replaced")
            ? new String[] {"stop", "take", "skip", "replace"}
            : new String[] {"stop", "take", "skip"};
    String word = s.word(name, otherwise.name().toLowerCase(Locale.ROOT), words);
    return IntakePolicy.Again.valueOf(word.toUpperCase(Locale.ROOT));
  }

  private SetAsideLimit setAsideLimit() {
    Optional<DocumentReader> limit = doc.reader("set-aside-limit");
    if (limit.isEmpty()) {
      return SetAsideLimit.DEFAULT;
    }
    Optional<Long> rows = limit.get().parsed("rows", FeedDocument::count);
    double share =
        limit
            .get()
            .parsed("share", FeedDocument::share)
            .orElse(rows.isPresent() ? 1.0 : SetAsideLimit.DEFAULT_SHARE);
    limit.get().finish();
    return new SetAsideLimit(rows, share);
  }

  private Decompression.Limit inflateLimit() {
    Decompression.Limit d = Decompression.Limit.DEFAULT;
    Optional<DocumentReader> limit = doc.reader("inflate-limit");
    if (limit.isEmpty()) {
      return d;
    }
    Decompression.Limit out =
        new Decompression.Limit(
            limit.get().parsed("ratio", FeedDocument::positive).orElse(d.ratio()),
            limit.get().parsed("size", Amounts::bytes).orElse(d.bytes()));
    limit.get().finish();
    return out;
  }

  static long count(String text) {
    return wholeNumber(text, 0, "0 or more");
  }

  static long positive(String text) {
    return wholeNumber(text, 1, "1 or more");
  }

  private static long wholeNumber(String text, long least, String range) {
    try {
      long n = Long.parseLong(text);
      if (n >= least) {
        return n;
      }
    } catch (NumberFormatException e) {
      // The message below says it.
    }
    throw new IllegalArgumentException(
        "Invalid count [%s]: write a whole number, %s".formatted(text, range));
  }

  static double share(String text) {
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

package yardage.core.feed;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.stream.Collectors;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Place;
import yardage.core.format.json.JsonLayout;
import yardage.core.format.text.DelimitedLayout;
import yardage.core.format.text.LineEdits;
import yardage.core.format.text.LinePattern;
import yardage.core.format.text.RecordStart;

/** Reads the part of a feed's document that says how its files are written. */
final class FormatSection {
  private static final List<String> WORDS =
      List.of("text", "fixed", "lines", "json", "xml", "parquet");
  private static final FeedFormat DEFAULT =
      new FeedFormat.Delimited(new DelimitedLayout(",", '"', true));

  private final DocumentReader doc;
  private LineEdits edits = LineEdits.NONE;

  FormatSection(DocumentReader doc) {
    this.doc = doc;
  }

  /** What is done to lines before records are read; once the format is. */
  LineEdits edits() {
    return edits;
  }

  private LineEdits edits(DocumentReader s) {
    boolean carriageReturns = s.word("line-ends", "auto", "auto", "cr").equals("cr");
    int skipLast = s.parsed("skip-last-lines", FeedDocument::count).orElse(0L).intValue();
    String rowsBegin = s.text("rows-begin").map(TextValue::text).orElse("");
    try {
      return new LineEdits(carriageReturns, skipLast, rowsBegin);
    } catch (IllegalArgumentException e) {
      s.error("wrong-value", "skip-last-lines", s.place(), e.getMessage());
      return LineEdits.NONE;
    }
  }

  FeedFormat read() {
    List<String> named = WORDS.stream().filter(doc::has).toList();
    if (named.isEmpty()) {
      doc.error(
          "missing-field",
          "text",
          doc.place(),
          "[text] is missing: how the files are written, as in text: {separator: \";\", header: true}; other formats are "
              + WORDS.stream().skip(1).collect(Collectors.joining(", ")));
      return DEFAULT;
    }
    if (named.size() > 1) {
      doc.error(
          "wrong-value",
          named.get(1),
          doc.value(named.get(1)).map(DocumentValue::place).orElse(doc.place()),
          "A feed has one format, and here are " + String.join(" and ", named));
    }
    Optional<DocumentReader> section = doc.reader(named.get(0));
    if (section.isEmpty()) {
      return DEFAULT;
    }
    if (List.of("text", "fixed", "lines").contains(named.get(0))) {
      edits = edits(section.get());
    }
    FeedFormat format =
        switch (named.get(0)) {
          case "json" ->
              new FeedFormat.Json(
                  section.get().parsed("records", JsonLayout::parse).orElse(JsonLayout.lines()));
          case "fixed" -> fixed(section.get());
          case "lines" -> lines(section.get());
          case "xml" -> xml(section.get());
          case "parquet" -> new FeedFormat.Parquet();
          default -> delimited(section.get());
        };
    section.get().finish();
    return format;
  }

  private static FeedFormat xml(DocumentReader s) {
    s.required("row", "the element that makes a row, as in row: lot");
    String row = s.text("row").map(TextValue::text).orElse("row");
    Map<String, String> namespaces = new TreeMap<>();
    s.pairs("namespaces").forEach((prefix, uri) -> namespaces.put(prefix.text(), uri.text()));
    Optional<TextValue> xsd = s.text("xsd");
    xsd.flatMap(x -> FileDiscovery.complaint(x.text()))
        .ifPresent(c -> s.error("wrong-value", "xsd", xsd.get().place(), c));
    int colon = row.indexOf(':');
    if (colon > 0 && !namespaces.containsKey(row.substring(0, colon))) {
      s.error(
          "wrong-value",
          "row",
          s.text("row").map(TextValue::place).orElse(s.place()),
          "The prefix of [%s] is not among the feed's namespaces; add namespaces: {%s: its-uri}"
              .formatted(row, row.substring(0, colon)));
    }
    return new FeedFormat.Xml(row, namespaces, xsd.map(TextValue::text));
  }

  private static boolean cutsLong(DocumentReader s) {
    return s.word("long-rows", "set-aside", "set-aside", "cut").equals("cut");
  }

  private static FeedFormat fixed(DocumentReader s) {
    return new FeedFormat.FixedWidth(skipLines(s), fillsShort(s), cutsLong(s));
  }

  private static FeedFormat lines(DocumentReader s) {
    s.required("pattern", "a pattern with named groups that takes a line apart");
    Optional<RecordStart> begins = s.parsed("begins", RecordStart::compile);
    // A record of several lines has line ends in it, which the pattern's points take too.
    String whole = begins.isPresent() ? "(?s)" : "";
    LinePattern pattern =
        s.parsed("pattern", text -> LinePattern.compile(whole + text))
            .orElse(LinePattern.compile("(?<line>.*)"));
    return new FeedFormat.Lines(pattern, skipLines(s), begins);
  }

  private static int skipLines(DocumentReader s) {
    return s.parsed("skip-lines", FeedDocument::count).orElse(0L).intValue();
  }

  private static boolean fillsShort(DocumentReader s) {
    return s.word("short-rows", "set-aside", "set-aside", "fill").equals("fill");
  }

  private FeedFormat delimited(DocumentReader s) {
    String separator = s.text("separator").map(v -> v.text().replace("\\t", "\t")).orElse(",");
    Optional<TextValue> quote = s.text("quote");
    Optional<TextValue> escape = s.text("escape");
    Optional<TextValue> comment = s.text("comment");
    int skip = skipLines(s);
    boolean header = s.truth("header", true);
    boolean byPosition = s.word("match", "name", "name", "position").equals("position");
    boolean fill = fillsShort(s);
    boolean cut = cutsLong(s);
    Place at = quote.or(() -> escape).or(() -> comment).map(TextValue::place).orElse(s.place());
    try {
      return new FeedFormat.Delimited(
          new DelimitedLayout(
              separator,
              character("quote", quote, '"'),
              character("escape", escape, (char) 0),
              comment.map(TextValue::text).orElse(""),
              skip,
              header,
              byPosition,
              fill,
              cut,
              DelimitedLayout.DEFAULT_MAX_RECORD_BYTES));
    } catch (IllegalArgumentException e) {
      doc.error("wrong-value", "text", at, e.getMessage());
      return DEFAULT;
    }
  }

  private static char character(String what, Optional<TextValue> value, char otherwise) {
    if (value.isEmpty()) {
      return otherwise;
    }
    String text = value.get().text();
    if (text.isEmpty() || text.equals("none")) {
      return 0;
    }
    if (text.length() > 1) {
      throw new IllegalArgumentException(
          "Invalid %s [%s]: write one character, or none".formatted(what, text));
    }
    return text.charAt(0);
  }
}

package yardage.core.feed.propose;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import yardage.core.column.Column;
import yardage.core.column.Type;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.ParsedRecords;
import yardage.core.format.record.RecordOutput;
import yardage.core.format.record.RejectedRecord;
import yardage.core.format.text.DelimitedFormat;
import yardage.core.format.text.DelimitedLayout;

/** Finds out how delimited text is delimited. */
final class DelimitedGuess {
  private static final List<String> SEPARATORS =
      List.of(",", ";", "\t", "|", "~|", "||", "~", "^", "\u0001");
  private static final int MOST_ROWS = 10_000;

  private final Sample sample;

  private DelimitedGuess(Sample sample) {
    this.sample = sample;
  }

  private record Split(String separator, int width, int lines, int agreeing, int firstLine) {
    double share() {
      return lines == 0 ? 0 : (double) agreeing / lines;
    }
  }

  /** The shape of a sample; empty when no separator takes its lines apart alike. */
  static Optional<Proposal.Shape> of(Sample sample) {
    return new DelimitedGuess(sample).guess();
  }

  /** The shape of a sample that is delimited as a feed says. */
  static Optional<Proposal.Shape> of(Sample sample, DelimitedLayout layout) {
    Optional<Character> comment =
        layout.comment().isEmpty() ? Optional.empty() : Optional.of(layout.comment().charAt(0));
    List<String> lines = sample.lines();
    List<String> records = lines.subList(Math.min(layout.skipLines(), lines.size()), lines.size());
    if (records.isEmpty()) {
      return Optional.empty();
    }
    Split split = split(records, layout.separator(), comment);
    return Optional.of(
        new DelimitedGuess(sample).shape(split, comment, layout.skipLines(), Optional.of(layout)));
  }

  private Optional<Proposal.Shape> guess() {
    List<String> lines = sample.lines();
    Optional<Character> comment =
        lines.stream().limit(20).anyMatch(l -> l.startsWith("#"))
            ? Optional.of('#')
            : Optional.empty();
    Split best = null;
    for (String separator : SEPARATORS) {
      Split split = split(lines, separator, comment);
      boolean better =
          best == null
              || split.share() > best.share() + 0.02
              || split.share() > best.share() - 0.02
                  && (split.width() > best.width()
                      || split.width() == best.width() && separator.contains(best.separator()));
      if (split.width() > 1 && better) {
        best = split;
      }
    }
    if (best == null || best.share() < 0.8) {
      return Optional.empty();
    }
    int skip = Math.max(0, best.firstLine());
    if (comment.isPresent()) {
      while (skip > 0 && lines.get(skip - 1).startsWith("#")) {
        skip--;
      }
    }
    return Optional.of(shape(best, comment, skip, Optional.empty()));
  }

  /**
   * How many fields the lines have, as the real reader would see them but for line ends in quotes.
   */
  private static Split split(List<String> lines, String separator, Optional<Character> comment) {
    Map<Integer, Integer> counts = new HashMap<>();
    List<Integer> widths = new ArrayList<>();
    int looked = 0;
    for (String line : lines) {
      if (line.isEmpty() || comment.isPresent() && line.charAt(0) == comment.get()) {
        widths.add(-1);
        continue;
      }
      int width = fields(line, separator);
      widths.add(width);
      counts.merge(width, 1, Integer::sum);
      if (++looked == 2000) {
        break;
      }
    }
    var common =
        counts.entrySet().stream().filter(e -> e.getKey() > 1).max(Map.Entry.comparingByValue());
    if (common.isEmpty()) {
      return new Split(separator, 1, looked, 0, 0);
    }
    int width = common.get().getKey();
    // Lines of another width before the first that fits are a preamble.
    int first = widths.indexOf(width);
    return new Split(separator, width, looked, common.get().getValue(), first);
  }

  private static int fields(String line, String separator) {
    int n = 1;
    int at = 0;
    while (true) {
      if (at < line.length() && line.charAt(at) == '"') {
        int close = at + 1;
        while (close < line.length()
            && !(line.charAt(close) == '"'
                && !(close + 1 < line.length() && line.charAt(close + 1) == '"'))) {
          close += line.charAt(close) == '"' ? 2 : 1;
        }
        at = Math.min(close, line.length());
      }
      int next = line.indexOf(separator, at);
      if (next < 0) {
        return n;
      }
      n++;
      at = next + separator.length();
    }
  }

  /**
   * @param known how it is delimited, where that is known
   */
  private Proposal.Shape shape(
      Split split, Optional<Character> comment, int skip, Optional<DelimitedLayout> known) {
    List<Proposal.Evidence> evidence = new ArrayList<>();
    String shownSeparator = split.separator().equals("\t") ? "\\t" : split.separator();
    evidence.add(
        new Proposal.Evidence(
            "separator",
            shownSeparator,
            "[%s] gives %,d of %,d lines %d fields each"
                .formatted(shownSeparator, split.agreeing(), split.lines(), split.width())));
    List<String> lines = sample.lines();
    if (skip > 0) {
      evidence.add(
          new Proposal.Evidence(
              "skip-lines",
              String.valueOf(skip),
              "%d line%s before the first of that kind, such as \"%s\""
                  .formatted(skip, skip == 1 ? "" : "s", lines.get(0))));
    }
    List<List<ColumnGuess.Value>> columns = read(split, comment, skip, known);
    Optional<List<String>> header =
        known.isEmpty()
            ? header(columns)
            : known
                .filter(layout -> layout.header() && !columns.get(0).isEmpty())
                .map(
                    layout ->
                        columns.stream().map(c -> c.get(0).text().orElse("").strip()).toList());
    evidence.add(
        new Proposal.Evidence(
            "header",
            String.valueOf(header.isPresent()),
            header.isPresent()
                ? "the first record has names where the others have values"
                : "the first record looks like the others"));
    if (sample.encoding() != yardage.core.format.TextEncoding.AUTO) {
      evidence.add(
          new Proposal.Evidence("encoding", sample.encoding().code(), sample.encodingBecause()));
    }
    List<Proposal.Column> out = new ArrayList<>();
    Set<String> used = new HashSet<>();
    for (int c = 0; c < columns.size(); c++) {
      String name = header.isPresent() ? header.get().get(c) : "column_" + (c + 1);
      String plain = Naming.column(name, used);
      Map<String, String> settings = new LinkedHashMap<>();
      if (header.isPresent() && !plain.equalsIgnoreCase(name)) {
        settings.put("from", Yaml.flow(name));
      }
      List<ColumnGuess.Value> values = columns.get(c);
      out.add(
          ColumnGuess.of(
              plain,
              header.isPresent() ? values.subList(1, values.size()) : values,
              settings,
              true));
    }
    List<String> format = new ArrayList<>();
    if (sample.encoding() != yardage.core.format.TextEncoding.AUTO) {
      format.add("encoding: " + sample.encoding().code());
    }
    StringBuilder text = new StringBuilder("text: {separator: ").append(Yaml.flow(shownSeparator));
    text.append(header.isPresent() ? "" : ", header: false");
    text.append(skip > 0 ? ", skip-lines: " + skip : "");
    comment.ifPresent(c -> text.append(", comment: \"#\""));
    format.add(text.append('}').toString());
    return new Proposal.Shape("text", format, out, evidence);
  }

  private List<List<ColumnGuess.Value>> read(
      Split split, Optional<Character> comment, int skip, Optional<DelimitedLayout> known) {
    List<FieldRule> rules = new ArrayList<>();
    List<List<ColumnGuess.Value>> out = new ArrayList<>();
    for (int c = 0; c < split.width(); c++) {
      rules.add(new FieldRule("c" + c, Type.VARCHAR, false, List.of(), Optional.empty()));
      out.add(new ArrayList<>());
    }
    DelimitedLayout layout =
        new DelimitedLayout(
            split.separator(),
            known.map(DelimitedLayout::quote).orElse('"'),
            known.map(DelimitedLayout::escape).orElse((char) 0),
            comment.map(String::valueOf).orElse(""),
            skip,
            false,
            false,
            false,
            false,
            DelimitedLayout.DEFAULT_MAX_RECORD_BYTES);
    String text = sample.text();
    // The last line of a sample may be cut off.
    String wholeLines = sample.whole() ? text : text.substring(0, text.lastIndexOf('\n') + 1);
    try {
      new DelimitedFormat(layout, rules, (f, names) -> FieldMap.straight(rules.size()))
          .read(
              sample.file().path(),
              new ByteArrayInputStream(wholeLines.getBytes(StandardCharsets.UTF_8)),
              new RecordOutput() {
                @Override
                public void records(ParsedRecords records) {
                  for (int r = 0; r < records.rowCount() && out.get(0).size() <= MOST_ROWS; r++) {
                    for (int c = 0; c < out.size(); c++) {
                      Column column = records.columns().get(c);
                      out.get(c)
                          .add(
                              new ColumnGuess.Value(
                                  records.places().line(r),
                                  Optional.ofNullable((String) column.value(r))));
                    }
                  }
                }

                @Override
                public void reject(RejectedRecord record) {}
              });
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return out;
  }

  /** The names in the first record, if it holds names. */
  static Optional<List<String>> header(List<List<ColumnGuess.Value>> columns) {
    List<String> first = new ArrayList<>();
    boolean differs = false;
    for (List<ColumnGuess.Value> column : columns) {
      if (column.isEmpty()) {
        return Optional.empty();
      }
      String name = column.get(0).text().orElse("").strip();
      boolean looksLikeName = name.matches("[\\p{L}_][\\p{L}\\p{N}_ ./#%()\\-]*");
      if (!looksLikeName) {
        return Optional.empty();
      }
      first.add(name);
      if (column.size() > 1) {
        List<ColumnGuess.Value> rest = column.subList(1, column.size());
        boolean text = ColumnGuess.of("x", rest, Map.of(), true).type().kind() == Type.Kind.VARCHAR;
        boolean repeated =
            rest.stream().anyMatch(v -> v.text().orElse("").strip().equalsIgnoreCase(name));
        if (repeated) {
          return Optional.empty();
        }
        differs |=
            !text || name.toLowerCase(Locale.ROOT).matches(".*(_id|code|name|note|date).*|id");
      } else {
        differs = true;
      }
    }
    boolean unique =
        first.stream().map(n -> n.toLowerCase(Locale.ROOT)).distinct().count() == first.size();
    return unique && differs ? Optional.of(first) : Optional.empty();
  }
}

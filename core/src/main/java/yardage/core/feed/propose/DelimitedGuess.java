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
  private final boolean oldLineEnds;

  private DelimitedGuess(Sample sample) {
    this.oldLineEnds = sample.hasOldLineEnds();
    this.sample = sample.withLineFeeds();
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
      int width = fields(line.contains("\\\"") ? unescaped(line, separator) : line, separator);
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

  /**
   * A line whose quoted field has quotes behind backslashes, without them; if they close well so.
   */
  private static String unescaped(String line, String separator) {
    String without = line.replace("\\\"", "");
    long before = line.chars().filter(c -> c == '"').count();
    long after = without.chars().filter(c -> c == '"').count();
    // Where a field ends in a backslash, its closing quote is none that is escaped.
    return after % 2 == 0 && !(before % 2 == 0 && line.contains("\\\"" + separator))
        ? without
        : line;
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
    Read plain = read(split, comment, skip, known, (char) 0);
    // Backslashes may be what they are; where they escape quotes, fewer records break with them so.
    boolean tries = known.isEmpty() && sample.text().contains("\\\"");
    Read escaped = tries ? read(split, comment, skip, known, '\\') : plain;
    boolean escapes = tries && escaped.rejected() < plain.rejected();
    List<List<ColumnGuess.Value>> columns = (escapes ? escaped : plain).columns();
    if (escapes) {
      evidence.add(
          new Proposal.Evidence(
              "escape",
              "\\",
              "a backslash stands before quotes inside quoted fields; without it %,d records would break"
                  .formatted(plain.rejected())));
    }
    if (oldLineEnds) {
      evidence.add(
          new Proposal.Evidence(
              "line-ends", "cr", "lines end with a carriage return alone, without a line feed"));
    }
    Optional<HeaderGuess> guessed = known.isEmpty() ? HeaderGuess.of(columns) : Optional.empty();
    boolean byPlace = guessed.isPresent() && !guessed.get().unique();
    Optional<List<String>> header =
        guessed
            .map(HeaderGuess::names)
            .or(
                () ->
                    known
                        .filter(layout -> layout.header() && !columns.get(0).isEmpty())
                        .map(
                            layout ->
                                columns.stream()
                                    .map(c -> c.get(0).text().orElse("").strip())
                                    .toList()));
    evidence.add(
        new Proposal.Evidence(
            "header",
            String.valueOf(header.isPresent()),
            guessed
                .map(HeaderGuess::because)
                .orElse(
                    header.isPresent()
                        ? "the first record has names where the others have values"
                        : "the first record looks like the others")));
    if (sample.encoding() != yardage.core.format.TextEncoding.AUTO) {
      evidence.add(
          new Proposal.Evidence("encoding", sample.encoding().code(), sample.encodingBecause()));
    }
    List<Proposal.Column> out = new ArrayList<>();
    Set<String> used = new HashSet<>();
    for (int c = 0; c < columns.size(); c++) {
      String name = header.isPresent() ? header.get().get(c) : "column_" + (c + 1);
      String named = Naming.column(name.isEmpty() ? "column_" + (c + 1) : name, used);
      Map<String, String> settings = new LinkedHashMap<>();
      if (header.isPresent() && !byPlace && !named.equalsIgnoreCase(name)) {
        settings.put("from", Yaml.flow(name));
      }
      List<ColumnGuess.Value> values = columns.get(c);
      out.add(
          ColumnGuess.of(
              named,
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
    text.append(byPlace ? ", match: position" : "");
    text.append(skip > 0 ? ", skip-lines: " + skip : "");
    text.append(escapes ? ", escape: \"\\\\\"" : "");
    text.append(oldLineEnds ? ", line-ends: cr" : "");
    comment.ifPresent(c -> text.append(", comment: \"#\""));
    format.add(text.append('}').toString());
    return new Proposal.Shape("text", format, out, evidence);
  }

  /**
   * @param rejected how many records broke
   */
  private record Read(List<List<ColumnGuess.Value>> columns, int rejected) {}

  private Read read(
      Split split,
      Optional<Character> comment,
      int skip,
      Optional<DelimitedLayout> known,
      char escape) {
    int[] rejected = {0};
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
            known.map(DelimitedLayout::escape).orElse(escape),
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
                public void reject(RejectedRecord record) {
                  rejected[0]++;
                }
              });
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
    return new Read(out, rejected[0]);
  }
}

package yardage.core.feed.propose;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Recognises fields at fixed characters: lines of one length, with columns of blanks all the way
 * down between the fields. Fields that stand close together cannot be told apart, and are not.
 */
final class FixedWidthGuess {
  private static final int MOST_LINES = 10_000;
  private static final int FEWEST_LINES = 3;
  private static final double SAME_LENGTH = 0.95;

  /** Lines as code points, since the format counts those. */
  private final List<int[]> lines;

  private final int length;

  /** A field: its first and last character, counted from 0 and inclusive. */
  private record Range(int first, int last) {}

  private FixedWidthGuess(List<int[]> lines, int length) {
    this.lines = lines;
    this.length = length;
  }

  static Optional<Proposal.Shape> of(Sample sample) {
    List<int[]> lines =
        sample.lines().stream()
            .filter(l -> !l.isBlank())
            .limit(MOST_LINES)
            .map(l -> l.codePoints().toArray())
            .toList();
    Map<Integer, Integer> lengths = new HashMap<>();
    lines.forEach(l -> lengths.merge(l.length, 1, Integer::sum));
    return lengths.entrySet().stream()
        .max(Map.Entry.comparingByValue())
        .filter(e -> lines.size() >= FEWEST_LINES && e.getValue() >= SAME_LENGTH * lines.size())
        .flatMap(
            e ->
                new FixedWidthGuess(
                        lines.stream().filter(l -> l.length == e.getKey()).toList(), e.getKey())
                    .shape(lines.size()));
  }

  private Optional<Proposal.Shape> shape(int all) {
    List<Range> fields = fields();
    if (fields.size() < 2) {
      return Optional.empty();
    }
    List<List<ColumnGuess.Value>> columns = new ArrayList<>();
    for (Range f : fields) {
      List<ColumnGuess.Value> values = new ArrayList<>();
      for (int i = 0; i < lines.size(); i++) {
        values.add(new ColumnGuess.Value(i + 1, Optional.of(text(lines.get(i), f).strip())));
      }
      columns.add(values);
    }
    Optional<List<String>> header =
        HeaderGuess.of(columns).filter(HeaderGuess::unique).map(HeaderGuess::names);
    List<Proposal.Evidence> evidence = new ArrayList<>();
    evidence.add(
        new Proposal.Evidence(
            "fixed",
            "%d fields".formatted(fields.size()),
            "%,d of %,d lines have %d characters, with blanks at the same places in all of them"
                .formatted(lines.size(), all, length)));
    header.ifPresent(
        h ->
            evidence.add(
                new Proposal.Evidence(
                    "skip-lines", "1", "the first line has names where the others have values")));
    List<Proposal.Column> out = new ArrayList<>();
    Set<String> used = new HashSet<>();
    for (int c = 0; c < fields.size(); c++) {
      Range f = fields.get(c);
      List<ColumnGuess.Value> values = columns.get(c);
      out.add(
          ColumnGuess.of(
              Naming.column(header.isPresent() ? header.get().get(c) : "column_" + (c + 1), used),
              header.isPresent() ? values.subList(1, values.size()) : values,
              Map.of("at", Yaml.flow("%d-%d".formatted(f.first() + 1, f.last() + 1))),
              true));
    }
    return Optional.of(
        new Proposal.Shape(
            "fixed",
            List.of(header.isPresent() ? "fixed: {skip-lines: 1}" : "fixed: {}"),
            out,
            evidence));
  }

  private static String text(int[] line, Range f) {
    return new String(line, f.first(), f.last() - f.first() + 1);
  }

  /** The fields, each with the blanks that it may grow into. */
  private List<Range> fields() {
    List<Range> runs = new ArrayList<>();
    int from = -1;
    for (int i = 0; i <= length; i++) {
      boolean gutter = i == length || blankInAll(i);
      if (!gutter && from < 0) {
        from = i;
      } else if (gutter && from >= 0) {
        runs.add(new Range(from, i - 1));
        from = -1;
      }
    }
    List<Range> out = new ArrayList<>();
    for (int i = 0; i < runs.size(); i++) {
      Range run = runs.get(i);
      int before = i == 0 ? -1 : out.get(i - 1).last();
      int next = i + 1 == runs.size() ? length : runs.get(i + 1).first();
      // Texts start at one place and fill up to the right; numbers end at one and fill to the left.
      boolean left = startsAlike(run);
      boolean nextLeft = i + 1 == runs.size() || startsAlike(runs.get(i + 1));
      out.add(
          new Range(
              left ? run.first() : before + 1,
              left && nextLeft || i + 1 == runs.size() ? next - 1 : run.last()));
    }
    return out;
  }

  private boolean startsAlike(Range run) {
    return lines.stream().filter(l -> l[run.first()] == ' ').count() * 10 < lines.size();
  }

  private boolean blankInAll(int at) {
    for (int[] line : lines) {
      if (line[at] != ' ') {
        return false;
      }
    }
    return true;
  }
}

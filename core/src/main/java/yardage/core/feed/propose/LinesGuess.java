package yardage.core.feed.propose;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Proposes a pattern for lines that start alike and end in free text, as logs do. */
final class LinesGuess {
  private static final int MOST_LINES = 10_000;
  private static final double ENOUGH = 0.6;

  /** What stands at the start of a line, with what follows it. */
  private record Token(String name, String pattern) {}

  private static final List<Token> TOKENS =
      List.of(
          new Token(
              "at",
              "\\d{4}-\\d\\d-\\d\\d[T ]\\d\\d:\\d\\d(?::\\d\\d(?:\\.\\d+)?)?(?:Z|[+-]\\d\\d:?\\d\\d)?"),
          new Token("day", "\\d{4}-\\d\\d-\\d\\d"),
          new Token("time", "\\d\\d:\\d\\d(?::\\d\\d(?:\\.\\d+)?)?"),
          new Token("number", "-?\\d+(?:\\.\\d+)?"),
          new Token("word", "[^\\s:=\\[\\]()]+"));

  private LinesGuess() {}

  static Optional<Proposal.Shape> of(Sample sample) {
    List<String> lines =
        sample.lines().stream().filter(l -> !l.isBlank()).limit(MOST_LINES).toList();
    if (lines.size() < 3) {
      return Optional.empty();
    }
    StringBuilder pattern = new StringBuilder();
    List<String> names = new ArrayList<>();
    Set<String> used = new HashSet<>();
    while (names.size() < 12) {
      Optional<String> next = next(pattern.toString(), lines, used, names);
      if (next.isEmpty()) {
        break;
      }
      pattern.append(next.get());
    }
    if (names.size() < 2) {
      return Optional.empty();
    }
    String whole = pattern + "(?<rest>.*)";
    names.add("rest");
    Pattern compiled = Pattern.compile(whole);
    List<List<ColumnGuess.Value>> values = new ArrayList<>();
    names.forEach(n -> values.add(new ArrayList<>()));
    int matched = 0;
    for (int i = 0; i < lines.size(); i++) {
      Matcher m = compiled.matcher(lines.get(i));
      if (m.matches()) {
        matched++;
        for (int c = 0; c < names.size(); c++) {
          values
              .get(c)
              .add(new ColumnGuess.Value(i + 1, Optional.ofNullable(m.group(names.get(c)))));
        }
      }
    }
    List<Proposal.Column> columns = new ArrayList<>();
    for (int c = 0; c < names.size(); c++) {
      columns.add(ColumnGuess.of(names.get(c), values.get(c), Map.of(), true));
    }
    return Optional.of(
        new Proposal.Shape(
            "lines",
            List.of("lines:", "  pattern: '" + whole.replace("'", "''") + "'"),
            columns,
            List.of(
                new Proposal.Evidence(
                    "pattern",
                    whole,
                    "%,d of %,d lines match it; the others would be set aside"
                        .formatted(matched, lines.size())))));
  }

  /** The next token that most lines have, in the brackets and with the separator that they have. */
  private static Optional<String> next(
      String before, List<String> lines, Set<String> used, List<String> names) {
    for (Token token : TOKENS) {
      for (String[] wrap : new String[][] {{"", ""}, {"\\[", "\\]"}, {"\\(", "\\)"}}) {
        for (String after : new String[] {": ", " ", "=", ":"}) {
          String name = token.name();
          for (int i = 2; used.contains(name); i++) {
            name = token.name() + i;
          }
          String candidate = wrap[0] + "(?<" + name + ">" + token.pattern() + ")" + wrap[1] + after;
          Pattern p = Pattern.compile(before + candidate + ".*");
          long hits = lines.stream().limit(500).filter(l -> p.matcher(l).matches()).count();
          if (hits >= ENOUGH * Math.min(500, lines.size())) {
            used.add(name);
            names.add(name);
            return Optional.of(candidate);
          }
        }
      }
    }
    return Optional.empty();
  }
}

package yardage.core.feed.propose;

import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import yardage.core.column.Type;
import yardage.core.format.record.Chunk;
import yardage.core.format.record.FieldFailures;
import yardage.core.format.record.FieldParser;
import yardage.core.format.record.FieldRule;
import yardage.core.format.record.FieldSpans;
import yardage.core.format.record.NumberStyle;

/**
 * Decides on the type of a column by its values, trying each with the parser that would read it.
 */
final class ColumnGuess {
  /** Values that mean that there is none, in many files. */
  private static final Set<String> NULL_WORDS =
      Set.of("", "-", "--", "n/a", "na", "null", "none", "nil", "\\n", "?", "#n/a");

  /** A column is of a type although so many of its values are not; they would be set aside. */
  private static final double TOLERATED = 0.002;

  private static final List<String> DATES =
      List.of(
          "dd.MM.yyyy",
          "d.M.yyyy",
          "dd/MM/yyyy",
          "MM/dd/yyyy",
          "dd-MM-yyyy",
          "yyyy/MM/dd",
          "yyyyMMdd",
          "d MMM yyyy",
          "dd-MMM-yyyy");
  private static final List<String> TIMES =
      List.of(
          "dd.MM.yyyy HH:mm",
          "dd.MM.yyyy HH:mm:ss",
          "d.M.yyyy H:mm",
          "dd/MM/yyyy HH:mm",
          "dd/MM/yyyy HH:mm:ss",
          "MM/dd/yyyy HH:mm",
          "MM/dd/yyyy HH:mm:ss",
          "yyyy/MM/dd HH:mm:ss",
          "yyyyMMddHHmmss",
          "yyyyMMdd'T'HHmmss",
          "d/MMM/yyyy:HH:mm:ss X");

  private static final List<FieldRule.TruthWords> TRUTHS =
      List.of(
          new FieldRule.TruthWords(List.of("true"), List.of("false")),
          new FieldRule.TruthWords(List.of("yes"), List.of("no")),
          new FieldRule.TruthWords(List.of("y"), List.of("n")),
          new FieldRule.TruthWords(List.of("ja"), List.of("nein")),
          new FieldRule.TruthWords(List.of("sim"), List.of("não")),
          new FieldRule.TruthWords(List.of("oui"), List.of("non")));

  private static final Pattern NUMBER =
      Pattern.compile("[+-]?(\\d{1,400}\\.?\\d{0,400}|\\.\\d{1,400})([eE][+-]?\\d{1,4})?");

  /** One value, and where it stands. */
  record Value(long line, Optional<String> text) {}

  private record Candidate(Type type, FieldRule rule, Map<String, String> settings, String words) {}

  private final String name;
  private final List<Value> all;
  private final List<Value> values = new ArrayList<>();
  private final Set<String> nullWords = new TreeSet<>();
  private int empty;
  private int absent;

  private ColumnGuess(String name, List<Value> all) {
    this.name = name;
    this.all = all;
    Map<String, Integer> counts = new LinkedHashMap<>();
    for (Value v : all) {
      v.text().ifPresent(t -> counts.merge(t.strip(), 1, Integer::sum));
    }
    for (Value v : all) {
      if (v.text().isEmpty()) {
        absent++;
        continue;
      }
      String t = v.text().get().strip();
      if (t.isEmpty()) {
        empty++;
      } else if (NULL_WORDS.contains(t.toLowerCase(Locale.ROOT)) && counts.size() > 1) {
        nullWords.add(t);
      } else {
        values.add(v);
      }
    }
  }

  /**
   * @param settings what the column needs beside its type, such as where it comes from
   * @param texts whether values are texts in the file, so that an empty one means none
   */
  static Proposal.Column of(
      String name, List<Value> values, Map<String, String> settings, boolean texts) {
    return new ColumnGuess(name, values).guess(settings, texts);
  }

  private Proposal.Column guess(Map<String, String> given, boolean texts) {
    Map<String, String> settings = new LinkedHashMap<>(given);
    if (values.isEmpty()) {
      return new Proposal.Column(
          name, Type.VARCHAR, settings, "no value in the sample, so it stays text", all);
    }
    boolean zeros =
        values.stream().anyMatch(v -> v.text().orElseThrow().strip().matches("0\\d+"))
            && values.stream().allMatch(v -> v.text().orElseThrow().strip().matches("\\d+"));
    String because = null;
    Type type = Type.VARCHAR;
    if (zeros) {
      Value example =
          values.stream()
              .filter(v -> v.text().orElseThrow().strip().startsWith("0"))
              .findFirst()
              .orElseThrow();
      because =
          "digits only, but some start with a zero, like line %,d \"%s\", so it is a code and stays text"
              .formatted(example.line(), shown(example));
    } else {
      Best best = best();
      if (best.wrong().isEmpty() || best.wrong().size() <= TOLERATED * values.size()) {
        type = best.candidate().type();
        settings.putAll(best.candidate().settings());
        because = told(best);
      } else if (values.size() - best.wrong().size() >= values.size() / 2) {
        because =
            "mixed: %s; the other %,d are not, such as %s, so it stays text"
                .formatted(counted(best), best.wrong().size(), examples(best.wrong()));
      }
    }
    if (because == null
        && values.stream()
            .allMatch(v -> NUMBER.matcher(v.text().orElseThrow().strip()).matches())) {
      because =
          "numbers with more digits than bigint, decimal and double keep, such as %s, so they stay text"
              .formatted(examples(values.subList(0, Math.min(3, values.size()))));
    }
    if (because == null) {
      because = "text, such as " + examples(values.subList(0, Math.min(3, values.size())));
    }
    if (!nullWords.isEmpty()) {
      Set<String> tokens = new TreeSet<>(nullWords);
      tokens.add("");
      settings.put(
          "nulls", tokens.stream().map(Yaml::flow).collect(Collectors.joining(", ", "[", "]")));
      because += "; none is written " + String.join(" or ", nullWords);
    }
    int missing = empty + absent;
    if (missing > 0) {
      because += "; %,d of %,d are %s".formatted(missing, all.size(), texts ? "empty" : "missing");
    } else if (nullWords.isEmpty() && isKey()) {
      settings.put("required", "true");
      because += "; every row has one and no two are the same";
    }
    return new Proposal.Column(name, type, settings, because, all);
  }

  private boolean isKey() {
    return values.size() > 20
        && name.matches(".*(^|_)(id|code|no|nr|number|key)$")
        && values.stream().map(v -> v.text().orElseThrow()).distinct().count() == values.size();
  }

  private record Best(Candidate candidate, List<Value> wrong) {}

  private String counted(Best best) {
    int right = values.size() - best.wrong().size();
    return "%,d of %,d values are %s".formatted(right, values.size(), best.candidate().words());
  }

  private String told(Best best) {
    Value example =
        values.stream().filter(v -> !best.wrong().contains(v)).findFirst().orElse(values.get(0));
    String out = counted(best) + " like " + shown(example);
    return best.wrong().isEmpty()
        ? out
        : out
            + "; the other %,d would be set aside: %s"
                .formatted(best.wrong().size(), examples(best.wrong()));
  }

  static String examples(List<Value> of) {
    return of.stream()
        .limit(3)
        .map(v -> "line %,d \"%s\"".formatted(v.line(), shown(v)))
        .collect(Collectors.joining(", "));
  }

  private static String shown(Value v) {
    String t = v.text().orElse("");
    return (t.length() > 40 ? t.substring(0, 40) + "…" : t).replaceAll("\\p{Cntrl}", "·");
  }

  private Best best() {
    Best best = null;
    for (Candidate c : candidates()) {
      List<Value> wrong = wrong(c);
      if (best == null || wrong.size() < best.wrong().size()) {
        best = new Best(c, wrong);
      }
      if (wrong.isEmpty()) {
        break;
      }
    }
    return best;
  }

  /** From the narrowest type to the widest: the first that takes all values is chosen. */
  private List<Candidate> candidates() {
    List<Candidate> out = new ArrayList<>();
    for (FieldRule.TruthWords words : TRUTHS) {
      Map<String, String> settings = new LinkedHashMap<>();
      if (!words.yes().contains("true")) {
        settings.put("yes", Yaml.flow(words.yes().get(0)));
        settings.put("no", Yaml.flow(words.no().get(0)));
      }
      out.add(
          candidate(
              Type.BOOLEAN, List.of(), Optional.empty(), Optional.of(words), settings, "truths"));
    }
    out.add(plain(Type.INT, "whole numbers"));
    out.add(plain(Type.BIGINT, "whole numbers"));
    decimal('.').ifPresent(t -> out.add(plain(t, "decimal numbers")));
    out.add(plain(Type.DATE, "dates"));
    DATES.forEach(f -> out.add(temporal(Type.DATE, f, "dates")));
    out.add(plain(Type.TIMESTAMP, "times"));
    TIMES.forEach(f -> out.add(temporal(Type.TIMESTAMP, f, "times")));
    if (values.stream().allMatch(v -> isExactDouble(v.text().orElseThrow().strip()))) {
      out.add(plain(Type.DOUBLE, "numbers"));
    }
    styled(out, new NumberStyle(',', (char) 0, false, List.of()), "{decimal: \",\"}");
    styled(out, new NumberStyle(',', '.', false, List.of()), "{decimal: \",\", group: \".\"}");
    styled(out, new NumberStyle('.', ',', false, List.of()), "{group: \",\"}");
    styled(out, new NumberStyle('.', (char) 0, true, List.of()), "{percent: true}");
    styled(
        out,
        new NumberStyle('.', ',', false, List.of("€", "$", "£", "EUR", "USD", "GBP", "CHF")),
        "{group: \",\", currency: [\"€\", \"$\", \"£\", EUR, USD, GBP, CHF]}");
    styled(
        out,
        new NumberStyle(',', '.', false, List.of("€", "$", "£", "EUR", "USD", "GBP", "CHF")),
        "{decimal: \",\", group: \".\", currency: [\"€\", \"$\", \"£\", EUR, USD, GBP, CHF]}");
    return out;
  }

  /**
   * Whether a double keeps a number: one of more digits would become its neighbour's, and fifty
   * identifiers one.
   */
  private static boolean isExactDouble(String text) {
    if (!NUMBER.matcher(text).matches()) {
      // No number at all is for the candidate itself to say.
      return true;
    }
    double v = Double.parseDouble(text);
    return !Double.isInfinite(v)
        && new BigDecimal(Double.toString(v)).compareTo(new BigDecimal(text)) == 0;
  }

  private void styled(List<Candidate> out, NumberStyle style, String setting) {
    decimal(style.decimal())
        .ifPresent(
            t ->
                out.add(
                    candidate(
                        t,
                        List.of(),
                        Optional.of(style),
                        Optional.empty(),
                        Map.of("numbers", setting),
                        "numbers")));
  }

  /** The decimal that holds all numbers of the sample, with room for larger ones. */
  private Optional<Type> decimal(char point) {
    int whole = 1;
    int fraction = 0;
    for (Value v : values) {
      String t = v.text().orElseThrow();
      int at = t.lastIndexOf(point);
      int digits = (int) t.chars().filter(c -> c >= '0' && c <= '9').count();
      int behind =
          at < 0 ? 0 : (int) t.substring(at).chars().filter(c -> c >= '0' && c <= '9').count();
      behind += t.endsWith("%") ? 2 : 0;
      fraction = Math.max(fraction, behind);
      whole = Math.max(whole, digits - behind);
    }
    int precision = Math.max(9, Math.min(18, whole + fraction + 2));
    return whole + fraction > 18 || fraction > 12
        ? Optional.empty()
        : Optional.of(Type.decimal(Math.max(precision, whole + fraction), fraction));
  }

  private Candidate plain(Type type, String words) {
    return candidate(type, List.of(), Optional.empty(), Optional.empty(), Map.of(), words);
  }

  private Candidate temporal(Type type, String format, String words) {
    return candidate(
        type,
        List.of(format),
        Optional.empty(),
        Optional.empty(),
        Map.of("format", Yaml.flow(format)),
        words + " written " + format);
  }

  private Candidate candidate(
      Type type,
      List<String> formats,
      Optional<NumberStyle> numbers,
      Optional<FieldRule.TruthWords> truths,
      Map<String, String> settings,
      String words) {
    FieldRule rule =
        new FieldRule(
            name, type, false, List.of(), formats, numbers, true, truths, Optional.empty(), false);
    return new Candidate(type, rule, settings, words);
  }

  private List<Value> wrong(Candidate candidate) {
    // A few values tell most candidates off, so that the others are tried on all of them.
    List<Value> first = values.subList(0, Math.min(50, values.size()));
    List<Value> wrong = wrong(candidate, first);
    return wrong.size() > first.size() / 2 || first.size() == values.size()
        ? (wrong.size() > first.size() / 2 ? values : wrong)
        : wrong(candidate, values);
  }

  /** The values that a rule does not take; missing ones fit. */
  static List<Value> wrongFor(FieldRule rule, List<Value> of) {
    List<Value> there =
        of.stream()
            .filter(v -> v.text().isPresent() && !v.text().get().isBlank())
            .filter(v -> !rule.nullTokens().contains(v.text().get()))
            .toList();
    FieldRule strict =
        new FieldRule(
            rule.name(),
            rule.type(),
            false,
            List.of(),
            rule.formats(),
            rule.numbers(),
            rule.trim(),
            rule.truths(),
            Optional.empty(),
            false);
    return wrong(new Candidate(rule.type(), strict, Map.of(), ""), there);
  }

  private static List<Value> wrong(Candidate candidate, List<Value> of) {
    int bytes = of.stream().mapToInt(v -> 3 * v.text().orElseThrow().length()).sum();
    FieldSpans spans = new FieldSpans();
    spans.buffer = new byte[bytes + Chunk.PADDING];
    spans.starts = new int[of.size()];
    spans.ends = new int[of.size()];
    spans.width = 1;
    spans.count = of.size();
    spans.suspicious = true;
    int n = 0;
    for (int i = 0; i < of.size(); i++) {
      byte[] utf8 = of.get(i).text().orElseThrow().getBytes(StandardCharsets.UTF_8);
      System.arraycopy(utf8, 0, spans.buffer, n, utf8.length);
      spans.starts[i] = n;
      n += utf8.length;
      spans.ends[i] = n;
    }
    FieldFailures failures = new FieldFailures();
    new FieldParser(candidate.rule(), 0, 0, FieldParser.Quoting.NONE).parse(spans, failures);
    List<Value> out = new ArrayList<>();
    for (int i = 0; i < failures.count(); i++) {
      out.add(of.get(failures.row(i)));
    }
    return out;
  }
}

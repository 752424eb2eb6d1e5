package yardage.core.feed.propose;

import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Supplier;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import yardage.core.column.Column;
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
          "MM-dd-yyyy",
          "yyyy/MM/dd",
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
          new FieldRule.TruthWords(List.of("j"), List.of("n")),
          new FieldRule.TruthWords(List.of("t"), List.of("f")),
          new FieldRule.TruthWords(List.of("sim"), List.of("não")),
          new FieldRule.TruthWords(List.of("oui"), List.of("non")));

  private static final List<String> CURRENCIES = List.of("€", "$", "£", "EUR", "USD", "GBP", "CHF");

  /** Ways of writing numbers, by the setting that reads them. */
  private static final Map<String, NumberStyle> STYLES = new LinkedHashMap<>();

  static {
    String currency = "currency: [\"€\", \"$\", \"£\", EUR, USD, GBP, CHF]";
    STYLES.put("{decimal: \",\"}", new NumberStyle(',', (char) 0, false, List.of()));
    STYLES.put("{decimal: \",\", group: \".\"}", new NumberStyle(',', '.', false, List.of()));
    STYLES.put("{group: \",\"}", new NumberStyle('.', ',', false, List.of()));
    STYLES.put("{percent: true}", new NumberStyle('.', (char) 0, true, List.of()));
    STYLES.put(
        "{group: \",\", minus: behind}", new NumberStyle('.', ',', false, List.of(), true, false));
    STYLES.put(
        "{decimal: \",\", group: \".\", minus: behind}",
        new NumberStyle(',', '.', false, List.of(), true, false));
    STYLES.put("{group: \",\", " + currency + "}", new NumberStyle('.', ',', false, CURRENCIES));
    STYLES.put(
        "{decimal: \",\", group: \".\", " + currency + "}",
        new NumberStyle(',', '.', false, CURRENCIES));
  }

  /** Amounts have no more digits behind the point; what has is a measurement, and a double. */
  private static final int MOST_FRACTION = 12;

  private static final Pattern NUMBER =
      Pattern.compile("[+-]?(\\d{1,400}\\.?\\d{0,400}|\\.\\d{1,400})([eE][+-]?\\d{1,4})?");

  private static final Pattern LEADING_ZERO = Pattern.compile("0\\d+");
  private static final Pattern DIGITS = Pattern.compile("\\d+");
  private static final Pattern EPOCH = Pattern.compile("\\d{10,13}(\\.\\d{1,9})?");
  private static final Pattern COMPACT_DATE =
      Pattern.compile("(19|20)\\d\\d(0[1-9]|1[0-2])(0[1-9]|[12]\\d|3[01])");
  private static final Pattern TIME_NAME =
      Pattern.compile("(^|_)(at|ts|time|timestamp|epoch|date|day|when|created|updated|on)(_|$)");

  /** One value, and where it stands. */
  record Value(long line, Optional<String> text) {}

  private record Candidate(Type type, FieldRule rule, Map<String, String> settings, String words) {}

  private final String name;
  private final List<Value> all;
  private final List<Value> values = new ArrayList<>();
  private final Set<String> nullWords = new TreeSet<>();
  private final Map<Character, Optional<Type>> decimals = new HashMap<>();
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
        values.stream()
                .anyMatch(v -> LEADING_ZERO.matcher(v.text().orElseThrow().strip()).matches())
            && values.stream()
                .allMatch(v -> DIGITS.matcher(v.text().orElseThrow().strip()).matches());
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
        because = told(best) + open(best);
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
    for (Supplier<Optional<Candidate>> made : candidates()) {
      Optional<Candidate> found = made.get();
      if (found.isEmpty()) {
        continue;
      }
      Candidate c = found.get();
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

  /**
   * From the narrowest type to the widest: the first that takes all values is chosen. Each is made
   * when it is its turn, since a table may have thousands of columns.
   */
  private List<Supplier<Optional<Candidate>>> candidates() {
    List<Supplier<Optional<Candidate>>> out = new ArrayList<>();
    out.add(this::compactDate);
    out.add(this::epoch);
    TRUTHS.forEach(words -> out.add(() -> truths(words)));
    out.add(() -> Optional.of(plain(Type.INT, "whole numbers")));
    out.add(() -> Optional.of(plain(Type.BIGINT, "whole numbers")));
    out.add(() -> decimal('.').map(t -> plain(t, "decimal numbers")));
    out.add(() -> Optional.of(plain(Type.DATE, "dates")));
    DATES.forEach(f -> out.add(() -> Optional.of(temporal(Type.DATE, f, "dates"))));
    out.add(() -> Optional.of(plain(Type.TIMESTAMP, "times")));
    TIMES.forEach(f -> out.add(() -> Optional.of(temporal(Type.TIMESTAMP, f, "times"))));
    out.add(() -> Optional.of(plain(Type.TIME, "times of day")));
    // Without hyphens it may as well be a digest.
    out.add(
        () ->
            Optional.of(plain(Type.UUID, "UUIDs"))
                .filter(c -> values.stream().allMatch(v -> v.text().orElseThrow().contains("-"))));
    out.add(
        () ->
            Optional.of(plain(Type.DOUBLE, "numbers"))
                .filter(
                    c ->
                        values.stream()
                            .allMatch(v -> isExactDouble(v.text().orElseThrow().strip()))));
    STYLES.forEach((setting, style) -> out.add(() -> styled(style, setting)));
    return out;
  }

  private Optional<Candidate> truths(FieldRule.TruthWords words) {
    if (words.yes().get(0).length() == 1 && !hasBoth(words)) {
      // One letter alone may stand for anything.
      return Optional.empty();
    }
    Map<String, String> settings = new LinkedHashMap<>();
    if (!words.yes().contains("true")) {
      settings.put("yes", Yaml.flow(words.yes().get(0)));
      settings.put("no", Yaml.flow(words.no().get(0)));
    }
    return Optional.of(
        candidate(
            Type.BOOLEAN, List.of(), Optional.empty(), Optional.of(words), settings, "truths"));
  }

  private boolean hasBoth(FieldRule.TruthWords words) {
    return values.stream().anyMatch(v -> isOne(v, words.yes()))
        && values.stream().anyMatch(v -> isOne(v, words.no()));
  }

  private static boolean isOne(Value v, List<String> words) {
    return words.stream().anyMatch(v.text().orElseThrow().strip()::equalsIgnoreCase);
  }

  /** Eight digits that are all dates of these times, such as 20260105. */
  private Optional<Candidate> compactDate() {
    boolean dates =
        values.stream()
            .allMatch(v -> COMPACT_DATE.matcher(v.text().orElseThrow().strip()).matches());
    return dates ? Optional.of(temporal(Type.DATE, "yyyyMMdd", "dates")) : Optional.empty();
  }

  /** Seconds or milliseconds since 1970, where the column's name speaks of time. */
  private Optional<Candidate> epoch() {
    return epochUnit()
        .filter(unit -> TIME_NAME.matcher(name).find())
        .map(unit -> temporal(Type.TIMESTAMP, unit, "times"));
  }

  private Optional<String> epochUnit() {
    if (values.stream().allMatch(v -> isBetween(v, 1_000_000_000L, 2_147_483_647L))) {
      return Optional.of("epoch-seconds");
    }
    return values.stream().allMatch(v -> isBetween(v, 1_000_000_000_000L, 2_147_483_647_000L))
        ? Optional.of("epoch-millis")
        : Optional.empty();
  }

  private static boolean isBetween(Value v, long least, long most) {
    String t = v.text().orElseThrow().strip();
    if (!EPOCH.matcher(t).matches()) {
      return false;
    }
    double n = Double.parseDouble(t);
    return n >= least && n <= most;
  }

  /** What else the values could be, for a person to decide; empty where nothing is open. */
  private String open(Best best) {
    Optional<Candidate> other =
        best.candidate().rule().formats().stream()
            .findFirst()
            .flatMap(f -> Optional.ofNullable(otherOrder(f)))
            .map(f -> temporal(best.candidate().type(), f, ""))
            .filter(c -> wrong(c, values).isEmpty());
    if (other.isPresent()) {
      return "; day and month cannot be told apart in the sample, and the day is taken to come first: see that it does, or write "
          + other.get().rule().formats().get(0);
    }
    String format = best.candidate().rule().formats().stream().findFirst().orElse("");
    if (format.equals("yyyyMMdd")) {
      return "; they could be whole numbers, too";
    }
    if (format.startsWith("epoch")) {
      return "; taken as times for the column's name";
    }
    if (best.candidate().type().kind() == Type.Kind.INT
        || best.candidate().type().kind() == Type.Kind.BIGINT) {
      Optional<String> unit = epochUnit();
      if (unit.isPresent()) {
        return "; they could be times: {type: timestamp, format: %s} would read them so"
            .formatted(unit.get());
      }
      Set<String> distinct = new TreeSet<>();
      values.forEach(v -> distinct.add(v.text().orElseThrow().strip()));
      if (distinct.equals(Set.of("0", "1"))) {
        return "; only 0 and 1 occur: {type: boolean, yes: \"1\", no: \"0\"} would read them as truths";
      }
    }
    return "";
  }

  private static String otherOrder(String format) {
    return format.startsWith("dd/MM") || format.startsWith("dd-MM")
        ? "MM" + format.charAt(2) + "dd" + format.substring(5)
        : null;
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

  private Optional<Candidate> styled(NumberStyle style, String setting) {
    return decimal(style.decimal())
        .map(
            t ->
                candidate(
                    t,
                    List.of(),
                    Optional.of(style),
                    Optional.empty(),
                    Map.of("numbers", setting),
                    "numbers"));
  }

  /** The decimal that holds all numbers of the sample, with room for larger ones. */
  private Optional<Type> decimal(char point) {
    return decimals.computeIfAbsent(point, this::decimalWith);
  }

  private Optional<Type> decimalWith(char point) {
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
    int digits = whole + fraction;
    // Whole numbers of so many digits are codes: nobody adds them up.
    boolean isCode = fraction == 0 && digits > Type.MAX_LONG_DIGITS;
    if (isCode || digits > Type.MAX_DECIMAL_PRECISION || fraction > MOST_FRACTION) {
      return Optional.empty();
    }
    int room = digits > Type.MAX_LONG_DIGITS ? Type.MAX_DECIMAL_PRECISION : Type.MAX_LONG_DIGITS;
    return Optional.of(Type.decimal(Math.max(9, Math.min(room, digits + 2)), fraction));
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
            name,
            type,
            false,
            List.of(),
            formats,
            numbers,
            true,
            truths,
            Optional.empty(),
            false,
            Optional.empty());
    return new Candidate(type, rule, settings, words);
  }

  private List<Value> wrong(Candidate candidate) {
    // A few values tell most candidates off, so that the others are tried on all of them.
    for (int few : new int[] {8, 50}) {
      List<Value> first = values.subList(0, Math.min(few, values.size()));
      List<Value> wrong = wrong(candidate, first);
      if (wrong.size() > first.size() / 2) {
        return values;
      }
      if (first.size() == values.size()) {
        return wrong;
      }
    }
    return wrong(candidate, values);
  }

  /** The values that a rule does not take; missing ones fit. */
  static List<Value> wrongFor(FieldRule rule, List<Value> of) {
    List<Value> there =
        of.stream()
            .filter(v -> v.text().isPresent() && !v.text().get().isBlank())
            .filter(v -> !rule.nullTokens().contains(v.text().get()))
            .toList();
    return wrong(new Candidate(rule.type(), rule, Map.of(), ""), there);
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
    // A value that does not fit becomes null: no message is made for each of thousands.
    Column read =
        new FieldParser(candidate.rule().nullWhereWrong(), 0, 0, FieldParser.Quoting.NONE)
            .parse(spans, new FieldFailures());
    List<Value> out = new ArrayList<>();
    for (int i = 0; i < of.size(); i++) {
      if (read.isNull(i)) {
        out.add(of.get(i));
      }
    }
    return out;
  }
}

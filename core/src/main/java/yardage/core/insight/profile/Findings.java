package yardage.core.insight.profile;

import java.math.BigDecimal;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.function.Predicate;
import java.util.regex.Pattern;
import yardage.core.column.Values;

/** What is odd about a column. */
final class Findings {
  private static final Pattern NUMBER = Pattern.compile("[+-]?\\d+(\\.\\d+)?");
  private static final Pattern DATE = Pattern.compile("\\d{4}-\\d{2}-\\d{2}");

  /** From so many values on, something is said of their shares. */
  private static final long ENOUGH = 20;

  /** Values that lie further beyond the middle half than so many times its width are far. */
  private static final double FAR = 3;

  private final ColumnProfiler seen;
  private final Profile.ColumnProfile column;
  private final List<Profile.Oddity> out = new ArrayList<>();

  private Findings(ColumnProfiler seen, Profile.ColumnProfile column) {
    this.seen = seen;
    this.column = column;
  }

  static List<Profile.Oddity> of(ColumnProfiler seen, Profile.ColumnProfile column) {
    Findings findings = new Findings(seen, column);
    findings.find();
    return List.copyOf(findings.out);
  }

  private void add(String code, String words, String offer) {
    out.add(
        new Profile.Oddity(code, words, offer.isEmpty() ? Optional.empty() : Optional.of(offer)));
  }

  private void find() {
    long there = seen.rows - seen.nulls;
    String name = column.name();
    if (seen.rows > 0 && there == 0) {
      add("only-nulls", "All values are null", "shape: {drop: [%s]}".formatted(name));
      return;
    }
    if (column.distinct() == 1 && there >= ENOUGH && seen.nulls == 0) {
      add(
          "one-value",
          "All rows have the same value, %s"
              .formatted(Values.text(column.commonest().get(0).value())),
          "");
    }
    nearlyUnique(there);
    if (column.lengths().isPresent()) {
      texts(there, name);
    } else {
      farValues();
    }
  }

  private void nearlyUnique(long there) {
    if (there < ENOUGH || column.distinct() < there - there / 20) {
      return;
    }
    Profile.Counted most = column.commonest().get(0);
    if (most.count() > 1) {
      add(
          "nearly-unique",
          column.isExact()
              ? "%,d of %,d values are repeats of others; all else is unique"
                  .formatted(there - column.distinct(), there)
              : "Nearly all values are different, but [%s] comes %,d times"
                  .formatted(Values.text(most.value()), most.count()),
          "dedupe: {by: [%s], keep: last}".formatted(column.name()));
    }
  }

  private void texts(long there, String name) {
    if (seen.blankEnds > 0) {
      add(
          "blank-ends",
          "%,d values have blanks at an end".formatted(seen.blankEnds),
          "shape: {trim: [%s]}".formatted(name));
    }
    if (seen.empty > 0) {
      add(
          "empty-text",
          seen.nulls > 0
              ? "%,d values are empty texts, and %,d are null".formatted(seen.empty, seen.nulls)
              : "%,d values are empty texts".formatted(seen.empty),
          "shape: {set: {%1$s: \"nullif(%1$s, '')\"}}".formatted(name));
    }
    alike(name);
    if (there < ENOUGH) {
      return;
    }
    if (all(t -> NUMBER.matcher(t).matches())) {
      boolean codes = column.shapes().stream().anyMatch(s -> s.example().strip().matches("0\\d+"));
      add(
          "numbers-as-text",
          codes
              ? "All are digits, some with zeros in front: codes, which stay text"
              : "All are numbers, kept as text",
          codes ? "" : "shape: {cast: {%s: %s}}".formatted(name, number()));
    } else if (all(t -> DATE.matcher(t).matches() && isDate(t))) {
      add(
          "dates-as-text",
          "All are dates, kept as text",
          "shape: {cast: {%s: date}}".formatted(name));
    } else {
      mixed();
    }
  }

  private String number() {
    int scale =
        column.shapes().stream()
            .mapToInt(s -> Math.max(0, new BigDecimal(s.example().strip()).scale()))
            .max()
            .orElse(0);
    return scale == 0 ? "bigint" : "decimal(18, %d)".formatted(Math.max(2, scale));
  }

  private boolean all(Predicate<String> test) {
    return !column.shapes().isEmpty()
        && column.shapes().size() < 6
        && column.shapes().stream().allMatch(s -> test.test(s.example().strip()))
        && column.commonest().stream().allMatch(c -> test.test(((String) c.value()).strip()));
  }

  private static boolean isDate(String text) {
    try {
      LocalDate.parse(text);
      return true;
    } catch (java.time.DateTimeException e) {
      return false;
    }
  }

  /** Few values are built otherwise than most. */
  private void mixed() {
    if (column.shapes().size() < 2) {
      return;
    }
    Profile.TextShape most = column.shapes().get(0);
    Profile.TextShape other = column.shapes().get(1);
    // Codes have digits; how words are built says nothing.
    if (most.shape().contains("9") && most.share() >= 0.8 && most.share() < 1) {
      add(
          "mixed-shapes",
          "%s of the values are built like [%s], others like [%s]"
              .formatted(percent(most.share()), most.example(), other.example()),
          "");
    }
  }

  private static String percent(double share) {
    return share >= 0.995 && share < 1
        ? "More than 99 %"
        : String.format(Locale.ROOT, "%.0f %%", 100 * share);
  }

  /** Frequent values that differ only in capitals and blanks. */
  private void alike(String name) {
    Map<String, List<String>> plain = new LinkedHashMap<>();
    if (column.distinct() > ValueCounts.MOST / 4) {
      return;
    }
    seen.counts.forEach(
        (value, count) -> {
          String text = (String) value;
          plain
              .computeIfAbsent(text.strip().toLowerCase(Locale.ROOT), k -> new ArrayList<>())
              .add(text.strip());
        });
    plain.values().stream()
        .map(l -> l.stream().distinct().sorted().toList())
        .filter(l -> l.size() > 1)
        .findFirst()
        .ifPresent(
            l ->
                add(
                    "alike",
                    "Values differ only in capitals, such as [%s] and [%s]"
                        .formatted(l.get(0), l.get(1)),
                    "shape: {lower: [%s]}".formatted(name)));
  }

  private void farValues() {
    if (column.quantiles().size() < 5 || column.histogram().isEmpty()) {
      return;
    }
    double low = Summary.place(column.quantiles().get(1));
    double high = Summary.place(column.quantiles().get(3));
    double far = FAR * (high - low);
    boolean above = Summary.place(column.largest().orElseThrow()) > high + far;
    boolean below = Summary.place(column.smallest().orElseThrow()) < low - far;
    if (far > 0 && (above || below)) {
      String ends =
          above && below
              ? "%s and %s"
                  .formatted(
                      Values.text(column.smallest().get()), Values.text(column.largest().get()))
              : Values.text((above ? column.largest() : column.smallest()).orElseThrow());
      add(
          "far-values",
          "Far from the others: %s, where half of the values are %s to %s"
              .formatted(
                  ends,
                  Values.text(column.quantiles().get(1)),
                  Values.text(column.quantiles().get(3))),
          "");
    }
  }
}

package yardage.core.pipeline.read;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.document.Amounts;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.sql.PlanSession;

/** Reads the rules of a check, noting what is wrong with them. */
final class RuleReader {
  private static final List<String> KINDS =
      List.of("is", "not-null", "in", "unique", "found-in", "rows", "all", "total", "fresh");

  private RuleReader() {}

  static Optional<Verb> check(DocumentReader r) {
    List<CheckRule> rules = new ArrayList<>();
    r.readers("A rule is written by its name, as in positive: {is: metres > 0}")
        .forEach(
            (name, rule) -> {
              rule(new Located(name, r.field(name.text())), rule).ifPresent(rules::add);
              rule.finish();
            });
    if (r.entries().isEmpty()) {
      r.error(
          "missing-field",
          "",
          r.place(),
          "A check needs rules by name, as in check: {positive: {is: metres > 0}}");
    }
    return Optional.of(new Verb.Check(rules));
  }

  private static Optional<CheckRule> rule(Located name, DocumentReader r) {
    List<String> present = KINDS.stream().filter(r::has).toList();
    if (present.size() != 1) {
      r.error(
          "missing-field",
          "",
          r.place(),
          "A rule has one of %s; this has %s"
              .formatted(
                  String.join(", ", KINDS),
                  present.isEmpty() ? "none" : String.join(" and ", present)));
      List.of("else", "share", "column", "on", "against", "there", "within").forEach(r::has);
      return Optional.empty();
    }
    Optional<CheckRule.Kind> kind =
        switch (present.get(0)) {
          case "is" -> r.text("is").map(t -> eachOrShare(r, new Located(t, r.field("is"))));
          case "not-null" -> notNull(r);
          case "in" -> in(r);
          case "unique" -> unique(r);
          case "found-in" -> foundIn(r);
          case "rows" -> rowCount(r);
          case "total" -> total(r);
          case "fresh" -> fresh(r);
          default -> r.text("all").map(t -> new CheckRule.Together(new Located(t, r.field("all"))));
        };
    boolean ofRows = kind.filter(CheckRule.Kind::isOfRows).isPresent();
    String word =
        ofRows
            ? r.word("else", "set-aside", "set-aside", "warn", "stop")
            : r.word("else", "stop", "warn", "stop");
    return kind.map(
        k -> new CheckRule(name, k, CheckRule.Otherwise.valueOf(StepReader.constant(word))));
  }

  private static CheckRule.Kind eachOrShare(DocumentReader r, Located condition) {
    Optional<Double> share = r.parsed("share", StepReader::share);
    return share.isPresent()
        ? new CheckRule.Share(condition, share.get())
        : new CheckRule.EachRow(condition);
  }

  private static Optional<CheckRule.Kind> notNull(DocumentReader r) {
    List<Located> columns = StepReader.located(r, "not-null");
    String condition =
        columns.stream()
            .map(c -> PlanSession.quoted(c.text()) + " IS NOT NULL")
            .collect(java.util.stream.Collectors.joining(" AND "));
    return columns.stream().findFirst().map(c -> eachOrShare(r, made(c, condition)));
  }

  private static Optional<CheckRule.Kind> in(DocumentReader r) {
    List<Located> values = StepReader.located(r, "in");
    Optional<TextValue> column = r.required("column", "the column whose values are in the list");
    return column.map(
        c ->
            eachOrShare(
                r,
                made(
                    new Located(c, r.field("column")),
                    "CAST(%s AS VARCHAR) IN (%s)"
                        .formatted(
                            PlanSession.quoted(c.text()),
                            values.stream()
                                .map(v -> PlanSession.constant(v.text()))
                                .collect(java.util.stream.Collectors.joining(", "))))));
  }

  /** SQL that we write for a field, at the field's place. */
  private static Located made(Located at, String sql) {
    return new Located(at.value().withText(sql), at.field());
  }

  private static Optional<CheckRule.Kind> unique(DocumentReader r) {
    List<Located> columns = StepReader.located(r, "unique");
    if (columns.isEmpty()) {
      r.error(
          "missing-field", "unique", r.place(), "[unique] needs columns, as in unique: [roll_id]");
      return Optional.empty();
    }
    return Optional.of(new CheckRule.Unique(columns));
  }

  private static Optional<CheckRule.Kind> rowCount(DocumentReader r) {
    Optional<DocumentReader> rows = r.reader("rows");
    Optional<CheckRule.Kind> out =
        rows.map(
            x ->
                new CheckRule.RowCount(
                    x.parsed("at-least", StepReader::count),
                    x.parsed("at-most", StepReader::count)));
    rows.ifPresent(DocumentReader::finish);
    return out;
  }

  private static Optional<CheckRule.Kind> foundIn(DocumentReader r) {
    Map<Located, Located> on = new LinkedHashMap<>(StepReader.keys(r));
    Optional<TextValue> column = r.text("column");
    column.ifPresent(
        c -> {
          Located here = new Located(c, r.field("column"));
          on.put(here, here);
        });
    if (on.isEmpty()) {
      r.error(
          "missing-field",
          "column",
          r.place(),
          "[found-in] needs the columns to look up, as in {column: loom_code, found-in: looms}, or on: {here: there}");
      return Optional.empty();
    }
    return r.text("found-in")
        .map(t -> new CheckRule.FoundIn(new Located(t, r.field("found-in")), on));
  }

  private static Optional<CheckRule.Kind> total(DocumentReader r) {
    Optional<TextValue> here = r.text("total");
    Optional<TextValue> against =
        r.required("against", "the step whose total it is held against, as in against: rolls");
    Optional<TextValue> there = r.text("there");
    Optional<CheckRule.Total.Slack> slack = r.parsed("within", RuleReader::slack);
    if (here.isEmpty() || against.isEmpty()) {
      return Optional.empty();
    }
    Located mine = new Located(here.get(), r.field("total"));
    return Optional.of(
        new CheckRule.Total(
            mine,
            new Located(against.get(), r.field("against")),
            there.map(t -> new Located(t, r.field("there"))).orElse(mine),
            slack.orElse(CheckRule.Total.EXACT)));
  }

  /** How far apart two totals may be: a number, or a share of the other one. */
  private static CheckRule.Total.Slack slack(String text) {
    String t = text.strip();
    if (t.endsWith("%")) {
      return new CheckRule.Total.Slack(new java.math.BigDecimal(StepReader.share(t) + ""), true);
    }
    if (!t.matches("[0-9]{1,15}(\\.[0-9]{1,6})?")) {
      throw new IllegalArgumentException(
          "Invalid distance [%s]: write a number, as in 0.5, or a share, as in 0.1%%"
              .formatted(text));
    }
    return new CheckRule.Total.Slack(new java.math.BigDecimal(t), false);
  }

  private static Optional<CheckRule.Kind> fresh(DocumentReader r) {
    Optional<TextValue> column = r.text("fresh");
    Optional<TextValue> within =
        r.required("within", "how old the newest row may be, as in within: 36 h");
    return column.flatMap(
        c ->
            within.flatMap(w -> r.attempt(w, "within", Amounts::duration)).stream()
                .findFirst()
                .map(
                    d ->
                        new CheckRule.Fresh(
                            new Located(c, r.field("fresh")), d, within.get().text().strip())));
  }
}

package yardage.core.pipeline.read;

import java.time.LocalDate;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.document.DocumentReader;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Problem;
import yardage.core.lake.TableName;
import yardage.core.pipeline.read.PipelineDocument.Step;
import yardage.core.star.Calendar;

/** Reads what the steps of a star say: calendars, dimensions, facts. */
final class StarReader {
  private static final int MOST_DAYS = 200_000;

  private final List<Problem> problems;

  StarReader(List<Problem> problems) {
    this.problems = problems;
  }

  Optional<Verb> calendar(DocumentReader r) {
    Optional<TextValue> first = r.required("first", "the first day, as in 2026-01-01");
    Optional<TextValue> last = r.required("last", "the last day, as in 2030-12-31");
    Optional<LocalDate> from = r.parsed("first", LocalDate::parse);
    Optional<LocalDate> to = r.parsed("last", LocalDate::parse);
    Optional<Verb.CalendarDays.Holidays> holidays = holidays(r);
    long start = r.parsed("fiscal-start", StepReader::count).orElse(1L);
    if (start < 1 || start > 12) {
      r.error(
          "wrong-value",
          "fiscal-start",
          r.value("fiscal-start").orElseThrow().place(),
          "A fiscal year starts with a month, 1 to 12");
      return Optional.empty();
    }
    if (first.isEmpty() || last.isEmpty() || from.isEmpty() || to.isEmpty()) {
      return Optional.empty();
    }
    long days = to.get().toEpochDay() - from.get().toEpochDay() + 1;
    if (days < 1 || days > MOST_DAYS) {
      r.error(
          "wrong-value",
          "last",
          last.get().place(),
          days < 1
              ? "The last day %s is before the first, %s".formatted(to.get(), from.get())
              : "From %s to %s there are %,d days; a calendar has at most %,d"
                  .formatted(from.get(), to.get(), days, MOST_DAYS));
      return Optional.empty();
    }
    return Optional.of(
        new Verb.CalendarDays(new Calendar(from.get(), to.get(), (int) start), holidays));
  }

  Optional<Verb> dimension(DocumentReader r) {
    Optional<TextValue> name = r.required("table", "the dimension's table, as in mart.dim_loom");
    Optional<TableName> table = r.parsed("table", TableName::parse);
    List<Located> key = StepReader.located(r, "key");
    if (key.isEmpty()) {
      r.error(
          "missing-field",
          "key",
          r.place(),
          "[key] is missing: the columns of the natural key, as in key: [loom_code]");
    }
    Optional<ColumnChoice> history = new StepReader(problems).choice(r, "history");
    Optional<Located> changedAt =
        r.text("changed-at").map(t -> new Located(t, r.field("changed-at")));
    boolean marks = r.word("gone", "keep", "keep", "mark").equals("mark");
    Optional<String> surrogate = r.text("surrogate").map(TextValue::text);
    return table.map(
        t ->
            new Verb.Dimension(
                t,
                new Located(name.get(), r.field("table")),
                surrogate.orElse(t.name().replaceFirst("^dim_", "") + "_key"),
                key,
                history,
                changedAt,
                marks,
                List.of()));
  }

  Optional<Verb> fact(DocumentReader r) {
    List<Located> grain = StepReader.located(r, "grain");
    if (grain.isEmpty()) {
      r.error(
          "missing-field",
          "grain",
          r.place(),
          "[grain] is missing: the columns that no two rows of the fact share, as in grain: [roll_id]");
    }
    Map<Located, Verb.Fact.Key> keys = new LinkedHashMap<>();
    String example = "keys: {loom_key: {dimension: looms, on: [loom_code], at: woven_at}}";
    if (!r.has("keys")) {
      r.error(
          "missing-field",
          "keys",
          r.place(),
          "[keys] is missing: the surrogate keys by name, as in " + example);
    }
    StepReader.each(r, "keys", example, (name, k) -> factKey(k).ifPresent(x -> keys.put(name, x)));
    return Optional.of(
        new Verb.Fact(
            grain, keys, StepReader.located(r, "measures"), StepReader.located(r, "keep")));
  }

  private Optional<Verb.Fact.Key> factKey(DocumentReader r) {
    Optional<TextValue> dimension =
        r.required("dimension", "the step that gives the dimension's rows");
    Map<Located, Located> on = StepReader.keys(r);
    if (on.isEmpty()) {
      r.error(
          "missing-field",
          "on",
          r.place(),
          "[on] is missing: the natural key, as in on: [loom_code], or on: {here: there}");
    }
    Optional<Located> at = r.text("at").map(t -> new Located(t, r.field("at")));
    Verb.Fact.Orphans orphans =
        Verb.Fact.Orphans.valueOf(
            StepReader.constant(
                r.word("orphans", "unknown", "unknown", "set-aside", "placeholder")));
    return dimension.map(
        d -> new Verb.Fact.Key(new Located(d, r.field("dimension")), on, at, orphans));
  }

  private Optional<Verb.CalendarDays.Holidays> holidays(DocumentReader r) {
    Optional<DocumentReader> told = r.reader("holidays");
    if (told.isEmpty()) {
      return Optional.empty();
    }
    DocumentReader h = told.get();
    Optional<TextValue> step = h.required("step", "the step that gives the holidays");
    Optional<TextValue> day = h.required("day", "its column with the day");
    Optional<Located> name = h.text("name").map(n -> new Located(n, h.field("name")));
    h.finish();
    return step.isEmpty() || day.isEmpty()
        ? Optional.empty()
        : Optional.of(
            new Verb.CalendarDays.Holidays(
                new Located(step.get(), h.field("step")),
                new Located(day.get(), h.field("day")),
                name));
  }

  /**
   * Has each dimension know the facts whose keys get placeholders in it.
   *
   * @param steps all steps of a document; those of dimensions are replaced
   */
  void expectEarlyFacts(Map<String, Step> steps) {
    for (Step fact : List.copyOf(steps.values())) {
      if (!(fact.verb() instanceof Verb.Fact verb) || fact.from().isEmpty()) {
        continue;
      }
      for (Verb.Fact.Key key : verb.keys().values()) {
        if (key.orphans() != Verb.Fact.Orphans.PLACEHOLDER) {
          continue;
        }
        Step step = steps.get(key.dimension().text());
        if (step == null) {
          continue;
        }
        if (!(step.verb() instanceof Verb.Dimension dimension)) {
          problems.add(
              PipelineDocument.error(
                  fact.name(),
                  key.dimension().field(),
                  "no-placeholders",
                  key.dimension().place(),
                  "Placeholders are made by a dimension step of the same pipeline, and [%s] is none; name one, or write orphans: unknown"
                      .formatted(step.name())));
          continue;
        }
        Verb.Dimension.Early early =
            new Verb.Dimension.Early(fact.from().get(0), key.on(), fact.name());
        steps.put(
            step.name(),
            new Step(
                step.name(), step.place(), step.from(), dimension.with(early), step.fromPart()));
      }
    }
  }
}

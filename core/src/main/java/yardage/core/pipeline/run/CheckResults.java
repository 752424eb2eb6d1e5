package yardage.core.pipeline.run;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import yardage.core.exec.StepTally;
import yardage.core.pipeline.compile.CheckCompiler;
import yardage.core.pipeline.compile.StarCompiler;
import yardage.core.pipeline.read.CheckRule;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;

/** What came of the rules of a run's check steps. */
public final class CheckResults {
  private CheckResults() {}

  /**
   * One rule of one step.
   *
   * @param outcome {@code met}, {@code set-aside}, {@code warned} or {@code stopped}
   * @param rows how many were held against it
   * @param failed how many did not meet it; for a rule about all rows together 0 or all
   * @param words what was found, for people
   */
  public record Result(
      String step, String rule, String outcome, long rows, long failed, String words) {}

  static List<Result> of(PipelineDocument document, Map<String, StepTally> tallies) {
    List<Result> out = new ArrayList<>();
    for (PipelineDocument.Step step : document.steps().values()) {
      if (step.verb() instanceof Verb.Fact fact && tallies.containsKey(step.name())) {
        out.add(grain(step.name(), fact, tallies.get(step.name())));
      }
      if (!(step.verb() instanceof Verb.Check check) || !tallies.containsKey(step.name())) {
        continue;
      }
      Map<String, StepTally.Checked> checks = tallies.get(step.name()).checks();
      for (CheckRule rule : check.rules()) {
        StepTally.Checked seen = checks.getOrDefault(rule.name().text(), StepTally.Checked.NOTHING);
        boolean bothEmpty =
            rule.kind() instanceof CheckRule.Total total
                && seen.rows() == 0
                && tallies.get(total.step().text()).rowsOut.sum() == 0;
        out.add(result(step.name(), rule, seen, bothEmpty));
      }
    }
    return out;
  }

  private static Result grain(String step, Verb.Fact fact, StepTally tally) {
    StepTally.Checked seen =
        tally.checks().getOrDefault(StarCompiler.GRAIN, StepTally.Checked.NOTHING);
    String columns =
        fact.grain().stream().map(Located::text).collect(java.util.stream.Collectors.joining(", "));
    return new Result(
        step,
        StarCompiler.GRAIN,
        seen.failed() == 0 ? "met" : "stopped",
        seen.rows(),
        seen.failed(),
        seen.failed() == 0
            ? "one row for each %s, %,d of them".formatted(columns, seen.rows())
            : "several rows have the same %s: %,d of %,d, such as %s"
                .formatted(columns, seen.failed(), seen.rows(), seen.example()));
  }

  private static Result result(
      String step, CheckRule rule, StepTally.Checked seen, boolean bothEmpty) {
    boolean met;
    String found;
    if (rule.kind() instanceof CheckRule.RowCount count) {
      met =
          count.least().map(n -> seen.rows() >= n).orElse(true)
              && count.most().map(n -> seen.rows() <= n).orElse(true);
      found = "there are %,d".formatted(seen.rows());
    } else if (rule.kind() instanceof CheckRule.Share share) {
      double held = seen.rows() == 0 ? 1 : 1 - (double) seen.failed() / seen.rows();
      met = held >= share.least();
      found = "it held for " + CheckCompiler.percent(held);
    } else {
      met = seen.rows() == 0 ? bothEmpty || seen.metByNothing() : seen.failed() == 0;
      found =
          seen.rows() == 0
              ? "there are no rows"
              : rule.kind() instanceof CheckRule.Total
                  ? "there is " + grouped(seen.example())
                  : rule.kind() instanceof CheckRule.Fresh
                      ? "it is " + seen.example()
                      : rule.kind() instanceof CheckRule.Together
                          ? ""
                          : "%,d of %,d rows, such as %s"
                              .formatted(seen.failed(), seen.rows(), seen.example());
    }
    String outcome =
        met
            ? "met"
            : switch (rule.otherwise()) {
              case SET_ASIDE -> "set-aside";
              case WARN -> "warned";
              case STOP -> "stopped";
            };
    String words =
        met
            ? rule.kind() instanceof CheckRule.Share
                    || rule.kind() instanceof CheckRule.RowCount
                    || rule.kind() instanceof CheckRule.Total
                    || rule.kind() instanceof CheckRule.Fresh
                ? found
                : "met by %,d rows".formatted(seen.rows())
            : CheckCompiler.words(rule) + (found.isEmpty() ? "" : "; " + found);
    return new Result(step, rule.name().text(), outcome, seen.rows(), seen.failed(), words);
  }

  private static final Pattern TOTAL = Pattern.compile("(?<![\\w.])(\\d{4,})(?:\\.(\\d+))?");

  /** Digits behind the point of a sum of doubles that say something to a reader. */
  private static final int TELLING_DECIMALS = 6;

  /**
   * Totals as people read them: thousands apart, and no tail of digits that sums of doubles have.
   */
  public static String grouped(String totals) {
    return TOTAL
        .matcher(totals)
        .replaceAll(
            m -> {
              String decimals = m.group(2) == null ? "" : m.group(2);
              BigDecimal value = new BigDecimal(m.group());
              if (decimals.length() > TELLING_DECIMALS) {
                value = value.setScale(TELLING_DECIMALS, RoundingMode.HALF_UP).stripTrailingZeros();
              }
              return "%,.{n}f".replace("{n}", "" + Math.max(0, value.scale())).formatted(value);
            });
  }
}

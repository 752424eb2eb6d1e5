package yardage.core.step;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import yardage.core.column.Batch;
import yardage.core.column.BooleanColumn;
import yardage.core.column.Schema;
import yardage.core.exec.BatchConsumer;
import yardage.core.exec.RowStep;
import yardage.core.exec.StepTally;
import yardage.core.expr.Expression;

/**
 * Holds rows against rules, counts those that do not meet each, and sets rows aside where a rule
 * says so. What else follows from the counts is decided when all rows have been seen.
 *
 * @param input the columns that go on; those behind them only serve the rules
 */
public record CheckStep(Schema input, List<Rule> rules) implements RowStep {

  /**
   * One rule.
   *
   * @param met true where a row meets it; null and false are not
   * @param setsAside whether rows that do not meet it go
   * @param field the column to name with a row that went
   * @param words the rule in words
   * @param found a text, the same in each row, that tells what was found; empty for rules that show
   *     the first row that does not meet them
   * @param metByNothing whether no rows at all meet it
   */
  public record Rule(
      String name,
      Expression met,
      boolean setsAside,
      String field,
      String words,
      Optional<Expression> found,
      boolean metByNothing) {
    public Rule(String name, Expression met, boolean setsAside, String field, String words) {
      this(name, met, setsAside, field, words, Optional.empty(), true);
    }
  }

  @Override
  public void announce(StepTally tally) {
    rules.forEach(r -> tally.rule(r.name(), r.metByNothing()));
  }

  @Override
  public BatchConsumer bind(StepTally tally, BatchConsumer next) {
    return batch -> {
      boolean[] aside = new boolean[batch.rowCount()];
      int gone = 0;
      for (Rule rule : rules) {
        BooleanColumn met = (BooleanColumn) rule.met().evaluate(batch);
        int failed = 0;
        // What was found is the same in each row, so one is enough.
        String example =
            rule.found()
                .map(f -> String.valueOf(f.evaluate(batch.gather(new int[1], 1)).value(0)))
                .orElse("");
        for (int r = 0; r < batch.rowCount(); r++) {
          if (!met.isNull(r) && met.values()[r] != 0) {
            continue;
          }
          if (failed++ == 0 && rule.found().isEmpty()) {
            example = RowText.json(input, batch, r);
          }
          if (rule.setsAside() && !aside[r]) {
            aside[r] = true;
            gone++;
            tally.setAside(
                RowText.json(input, batch, r),
                rule.field(),
                "check-failed",
                "[%s]: %s".formatted(rule.name(), rule.words()));
          }
        }
        tally.checked(rule.name(), batch.rowCount(), failed, example);
      }
      Batch kept = batch.withColumns(new ArrayList<>(batch.columns().subList(0, input.size())));
      CastStep.pass(next, kept, aside, gone);
    };
  }
}

package yardage.core.pipeline.run;

import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import yardage.core.exec.StepTally;
import yardage.core.exec.Tally;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;

/**
 * Whether a run may publish: rows add up at every step, rules were met, look-ups were unique.
 *
 * @param tallies what was counted for each step that ran, in the order of the document
 */
record RunBooks(PipelineDocument document, Map<String, StepTally> tallies) {
  /** What came of the rules of check steps, as far as rows were seen. */
  List<CheckResults.Result> checkResults() {
    return CheckResults.of(document, tallies);
  }

  /**
   * @throws RunFailedException naming the first look-up that found more than one row for a key
   */
  void lookedUpOnce() {
    for (PipelineDocument.Step step : document.steps().values()) {
      StepTally tally = tallies.get(step.name());
      if (tally == null
          || !(step.verb() instanceof Verb.JoinStep join)
          || !join.atMostOne()
          || tally.snapshot().multiplied() == 0) {
        continue;
      }
      String keys =
          tally.multipliedKeys().stream()
              .limit(5)
              .map(k -> "[%s] (%,d rows more)".formatted(k.getKey(), k.getValue()))
              .collect(Collectors.joining(", "));
      throw new RunFailedException(
          "lookup-not-unique",
          step.name(),
          "Step [%s] looks up at most one row, and [%s] has several for %,d of its keys, such as %s; nothing was published. Dedupe [%s] by its key first, or join with kind: left"
              .formatted(
                  step.name(),
                  join.with().text(),
                  tally.multipliedKeys().size(),
                  keys,
                  join.with().text()),
          null);
    }
  }

  /**
   * @throws RunFailedException naming the first step whose rows do not add up
   */
  void balance() {
    for (Map.Entry<String, StepTally> e : tallies.entrySet()) {
      Tally t = e.getValue().snapshot();
      long expectedIn = 0;
      long expectedRight = 0;
      PipelineDocument.Step step = document.steps().get(e.getKey());
      for (int i = 0; i < step.inputs().size(); i++) {
        long out = tallies.get(step.inputs().get(i).text()).snapshot().rowsOut();
        if (step.isLookUp(i)) {
          expectedRight += out;
        } else {
          expectedIn += out;
        }
      }
      boolean reads = step.from().isEmpty();
      if (t.imbalance() != 0
          || (!reads && t.rowsIn() != expectedIn)
          || t.rightIn() != expectedRight) {
        throw new RunFailedException(
            "books-do-not-balance",
            e.getKey(),
            "The books of step [%s] do not balance: %s; nothing was published. This is a fault of the engine: please report it with the run's document"
                .formatted(e.getKey(), t),
            null);
      }
    }
  }

  /**
   * @throws RunFailedException naming the first rule that was not met and stops a run
   */
  void checked(RunListener listener) {
    for (CheckResults.Result r : checkResults()) {
      listener.log("%s: rule %s %s: %s".formatted(r.step(), r.rule(), r.outcome(), r.words()));
    }
    for (CheckResults.Result r : checkResults()) {
      if (r.outcome().equals("stopped")) {
        throw new RunFailedException(
            "check-failed",
            r.step(),
            "Rule [%s] of step [%s] was not met, so nothing was published: %s"
                .formatted(r.rule(), r.step(), r.words()),
            null);
      }
    }
  }
}

package yardage.core.pipeline.tests;

import java.util.List;
import java.util.Optional;
import yardage.core.document.Problem;

/**
 * What came of a test.
 *
 * @param problems what keeps it from running, in the test or in the pipeline
 * @param failure what stopped the pipeline's steps
 * @param outcomes of each step of which something is expected
 */
public record TestResult(
    String test,
    String pipeline,
    List<Problem> problems,
    Optional<String> failure,
    List<Outcome> outcomes,
    long elapsedMillis) {
  public TestResult {
    problems = List.copyOf(problems);
    outcomes = List.copyOf(outcomes);
  }

  public boolean passed() {
    return problems.isEmpty() && failure.isEmpty() && outcomes.stream().allMatch(Outcome::passed);
  }

  /**
   * What a step gave, held against what was expected.
   *
   * @param columns that were compared
   * @param missing expected rows that did not come, as texts by column; null where the value is
   * @param surplus rows that came and were not expected
   */
  public record Outcome(
      String step,
      boolean passed,
      String words,
      List<String> columns,
      List<List<Optional<String>>> missing,
      List<List<Optional<String>>> surplus) {}
}

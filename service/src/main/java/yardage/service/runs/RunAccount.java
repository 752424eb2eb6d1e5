package yardage.service.runs;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import yardage.core.exec.Tally;
import yardage.core.pipeline.compile.PipelineCheck;

/**
 * The account of a run or of a trial, step by step, and what it comes to.
 *
 * @param balance that the books balance, and of what; or where they do not
 */
public record RunAccount(List<RunView.RunStep> steps, boolean balanced, String balance) {
  public RunAccount {
    steps = List.copyOf(steps);
  }

  /**
   * @param shape how the steps hang together
   */
  public static RunAccount of(
      List<PipelineCheck.StepInfo> shape, List<Tally> tallies, RunState state) {
    Map<String, PipelineCheck.StepInfo> byName = new TreeMap<>();
    shape.forEach(s -> byName.put(s.name(), s));
    List<RunView.RunStep> steps = new ArrayList<>();
    for (Tally t : tallies) {
      PipelineCheck.StepInfo info = byName.get(t.step());
      steps.add(
          new RunView.RunStep(
              t.step(),
              t.verb(),
              info == null ? "" : info.detail(),
              info == null ? List.of() : info.from(),
              info == null ? Optional.empty() : info.with(),
              RunView.StepTally.of(t, state.isEnd())));
    }
    return new RunAccount(steps, Balance.isBalanced(steps), Balance.of(steps, state));
  }
}

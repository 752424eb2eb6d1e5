package yardage.core.exec;

import java.util.Map;

/**
 * What a task has counted for a step: a value that can be added to what others counted.
 *
 * @param changedValues values that were changed, by what was done to them
 * @param checks what rules have seen, by name
 * @param multipliedKeys keys whose rows a join multiplied, with how many rows more they gave
 * @param leftOut what was not read, and why
 */
public record StepCounts(
    Tally tally,
    Map<String, Long> changedValues,
    Map<String, StepTally.Checked> checks,
    Map<String, Long> multipliedKeys,
    Map<LeftOut, Long> leftOut) {
  public StepCounts {
    changedValues = Map.copyOf(changedValues);
    checks = Map.copyOf(checks);
    multipliedKeys = Map.copyOf(multipliedKeys);
    leftOut = Map.copyOf(leftOut);
  }
}

package yardage.core.exec;

import java.util.Map;

/**
 * What a task has counted for a step: a value that can be added to what others counted.
 *
 * @param changedValues values that were changed, by what was done to them
 * @param checks what rules have seen, by name
 * @param multipliedKeys keys whose rows a join multiplied, with how many rows more they gave
 */
public record StepCounts(
    Tally tally,
    Map<String, Long> changedValues,
    Map<String, StepTally.Checked> checks,
    Map<String, Long> multipliedKeys) {
  public StepCounts {
    changedValues = Map.copyOf(changedValues);
    checks = Map.copyOf(checks);
    multipliedKeys = Map.copyOf(multipliedKeys);
  }
}

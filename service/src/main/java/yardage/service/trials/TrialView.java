package yardage.service.trials;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.service.runs.RunView;

/**
 * What a run would do.
 *
 * @param failure what would stop it; then no table would change
 */
record TrialView(
    String pipeline,
    Optional<RunView.Failure> failure,
    List<RunView.RunStep> steps,
    boolean balanced,
    String balance,
    Map<String, Long> setAsideByReason,
    List<TrialCheck> checks,
    List<String> warnings,
    List<TrialTable> tables,
    long elapsedMillis) {

  /**
   * What came of a rule of a check.
   *
   * @param outcome met, set-aside, warned or stopped
   */
  record TrialCheck(
      String step, String rule, String outcome, long rows, long failed, String words) {}

  /**
   * What would become of a table.
   *
   * @param mode what the write does to the rows that are there
   * @param before how many rows it has; absent where it is not there yet
   * @param key the columns that tell its rows apart; without them a changed row counts as one
   *     removed and one added
   * @param changedColumns how many changed rows would have another value, by column
   * @param words all of it in one line
   */
  record TrialTable(
      String step,
      String table,
      String mode,
      Optional<Long> before,
      long after,
      long files,
      long bytes,
      List<String> key,
      long added,
      long removed,
      long changed,
      Map<String, Long> changedColumns,
      List<String> columnsAdded,
      List<String> columnsRemoved,
      List<String> columns,
      List<TrialRow> examples,
      String words) {}

  /**
   * A row that would not be the same.
   *
   * @param kind added, removed, before or after; a changed row is two, one behind the other
   */
  record TrialRow(String kind, List<Object> values) {}
}

package yardage.core.task;

import java.util.List;
import java.util.Optional;
import yardage.core.exec.StepCounts;
import yardage.core.feed.FeedReport;
import yardage.core.lake.WrittenTable;

/**
 * What came of a task, besides rows.
 *
 * @param counts one for each step that the task worked for
 * @param written where the stage ended in a table
 */
public record TaskResult(
    List<StepCounts> counts, List<FeedReport> reports, Optional<WrittenTable> written) {
  public TaskResult {
    counts = List.copyOf(counts);
    reports = List.copyOf(reports);
  }
}

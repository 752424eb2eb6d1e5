package yardage.core.task;

import java.util.List;
import java.util.Map;
import yardage.core.feed.FeedReport;
import yardage.core.lake.WrittenTable;
import yardage.core.plan.StageCutter.Root;

/** Runs plans whose rows are written, somewhere, and gives what came of them as values. */
public interface PlanRunner extends AutoCloseable {
  /** Told of each table as soon as its files are there. */
  interface Written {
    /**
     * @param root its place among the plans
     */
    void done(int root, WrittenTable table);
  }

  void run(List<Root> roots, Written written);

  /** What came of reading feeds. */
  List<FeedReport> reports();

  /** Values that did not fit and became null so far, by step and column with a dot between. */
  Map<String, Long> nulledByColumn();

  /** Closes what was left open. */
  @Override
  void close();
}

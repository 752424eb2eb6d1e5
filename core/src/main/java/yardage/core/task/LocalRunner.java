package yardage.core.task;

import java.util.List;
import java.util.Map;
import yardage.core.exec.Executor;
import yardage.core.feed.FeedReport;
import yardage.core.lake.TableWriter;
import yardage.core.plan.StageCutter.Root;

/** Runs plans in this process. */
public final class LocalRunner implements PlanRunner {
  private final Executor executor;
  private final TaskEndpoints endpoints;

  public LocalRunner(Executor executor, TaskEndpoints endpoints) {
    this.executor = executor;
    this.endpoints = endpoints;
  }

  @Override
  public void run(List<Root> roots, Written written) {
    executor.run(roots, (root, target) -> written.done(root, ((TableWriter) target).written()));
  }

  @Override
  public List<FeedReport> reports() {
    return endpoints.reports();
  }

  @Override
  public Map<String, Long> nulledByColumn() {
    return endpoints.nulledByColumn();
  }

  @Override
  public void close() {
    endpoints.close();
  }
}

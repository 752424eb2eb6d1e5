package yardage.service.query;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Function;
import org.springframework.http.HttpStatus;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepFailedException;
import yardage.core.exec.StepTally;
import yardage.core.feed.FeedReport;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;
import yardage.core.sql.Analysis;
import yardage.core.task.TaskEndpoints;
import yardage.service.web.ApiException;

/** Rows that can be asked for. */
record PreparedQuery(
    PlanNode plan,
    String step,
    List<LazyFeed> feeds,
    TaskEndpoints endpoints,
    Optional<Analysis> analysis) {
  Executor executor(ExecutionContext context) {
    StepTally tally = new StepTally(step, "sql");
    return new Executor(context, endpoints, name -> tally);
  }

  /** The rows of an analysis in place of those of the query, which is run for it. */
  PreparedQuery run(ExecutionContext context) {
    if (analysis.isEmpty()) {
      return this;
    }
    Map<String, StepTally> tallies = new ConcurrentHashMap<>();
    Function<String, StepTally> byName =
        name -> tallies.computeIfAbsent(name, n -> new StepTally(n, "sql"));
    try {
      new Executor(context, endpoints, byName).run(plan, worker -> batch -> {}, step);
    } catch (StepFailedException e) {
      throw ShownRows.refusal(e);
    }
    PlanNode told = Told.analysis(analysis.get().lines(name -> byName.apply(name).counts()), step);
    return new PreparedQuery(told, step, feeds, endpoints, Optional.empty());
  }

  PreparedQuery sorted(Optional<ResultService.Sorting> sort) {
    return sort.map(this::sorted).orElse(this);
  }

  private PreparedQuery sorted(ResultService.Sorting sort) {
    int columns = plan.schema().size();
    if (sort.column() < 0 || sort.column() >= columns) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "wrong-value",
          "The rows have %d columns, and no column %d".formatted(columns, sort.column()),
          "Give the place of a column, from 0 to %d".formatted(columns - 1));
    }
    SortKey key = new SortKey(sort.column(), sort.descending(), sort.descending());
    PlanNode ordered = new PlanNode.Sort(plan, List.of(key), 0, -1, step);
    return new PreparedQuery(ordered, step, feeds, endpoints, analysis);
  }

  List<ResultRows.ResultColumn> columns() {
    return plan.schema().fields().stream()
        .map(f -> new ResultRows.ResultColumn(f.name(), f.type().toString()))
        .toList();
  }

  /** What the answer leaves out, once it is there. */
  List<String> notes() {
    List<FeedReport> reports = endpoints.reports();
    return feeds.stream().flatMap(f -> f.leftOut(reports).stream()).toList();
  }
}

package yardage.core.pipeline.preview;

import java.util.ArrayList;
import java.util.List;
import java.util.OptionalLong;
import java.util.stream.IntStream;
import yardage.core.column.Batch;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.feed.FeedReport;
import yardage.core.lake.Lake;
import yardage.core.plan.GivenRows;
import yardage.core.plan.PlanNode;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.step.SampleStep;
import yardage.core.task.TaskEndpoints;

/** Reads some rows of a source. */
record SampleReader(PlanSession session, Lake lake, ExecutionContext context) {
  private static final long SEED = 1;

  /**
   * @param step which reads
   * @throws yardage.core.sql.SqlProblemException when the condition is none over the source
   */
  Sample read(String step, Source source, SourceChoice choice) {
    StepTally tally = new StepTally(step, "read");
    TaskEndpoints endpoints = TaskEndpoints.reading(lake);
    long most = choice.rows().orElse(SourceChoice.MOST_ROWS);
    try {
      PlanNode plan = chosen(step, source.relation(), choice);
      // One row more tells whether that is all.
      List<Batch> read =
          new Executor(context, endpoints, name -> tally).collect(plan, step, most + 1);
      long count = read.stream().mapToLong(Batch::rowCount).sum();
      long rows = Math.min(count, most);
      return new Sample(
          GivenRows.of(source.relation().schema(), first(read, rows)),
          rows,
          there(source.relation(), choice, count, most),
          source.notes(endpoints.reports()));
    } finally {
      endpoints.close();
    }
  }

  private static OptionalLong there(Relation relation, SourceChoice choice, long count, long most) {
    boolean limited = choice.share().isPresent() || choice.where().isPresent();
    if (!limited && relation.exactRowCount().isPresent()) {
      return relation.exactRowCount();
    }
    return count <= most && choice.share().isEmpty()
        ? OptionalLong.of(count)
        : OptionalLong.empty();
  }

  private PlanNode chosen(String step, Relation relation, SourceChoice choice) {
    PlanNode rows =
        choice
            .where()
            .map(
                condition ->
                    session
                        .physical()
                        .plan(
                            session.optimizeWhole(
                                session.where(
                                    session.parseExpression(condition, 1, 1), "source", relation)),
                            step))
            .orElseGet(() -> relation.read(relation.schema().ordinals(), List.of(), step));
    return choice
        .share()
        .<PlanNode>map(
            share ->
                new PlanNode.Apply(
                    rows,
                    new SampleStep(relation.schema().ordinals(), share, SEED),
                    rows.schema(),
                    step))
        .orElse(rows);
  }

  /** The first rows, each batch a part of its own. */
  private static List<Batch> first(List<Batch> read, long rows) {
    List<Batch> out = new ArrayList<>();
    long left = rows;
    for (Batch batch : read) {
      int n = (int) Math.min(left, batch.rowCount());
      if (n > 0) {
        Batch some =
            n == batch.rowCount() ? batch : batch.gather(IntStream.range(0, n).toArray(), n);
        out.add(new Batch(some.columns(), n, 0));
      }
      left -= n;
    }
    return out;
  }

  /** A source, and what is to be said of what was read of it. */
  interface Source {
    Relation relation();

    List<String> notes(List<FeedReport> reports);
  }
}

package yardage.core.pipeline.tests;

import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.document.DocumentValue.TextValue;
import yardage.core.document.Names;
import yardage.core.document.Problem;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.lake.Lake;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.preview.Sample;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.pipeline.run.RunFailedException;
import yardage.core.pipeline.run.RunFailures;
import yardage.core.pipeline.run.RunPlan;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;
import yardage.core.task.TaskEndpoints;

/** Runs a test against a pipeline's text. */
public final class TestRun {
  /** Rows that are told of each sort. */
  private static final int MOST_TOLD = 20;

  private final TestDocument test;
  private final PipelineCheck check;
  private final Catalog catalog;
  private final Lake lake;
  private final ExecutionContext execution;
  private final Instant now;
  private final List<Problem> problems = new ArrayList<>();

  private TestRun(
      TestDocument test,
      String pipeline,
      Catalog catalog,
      Lake lake,
      ExecutionContext execution,
      Instant now) {
    this.test = test;
    PipelineDocument document = PipelineDocument.parse(pipeline);
    this.catalog = new WithoutMemory(catalog, document);
    this.check = PipelineCheck.of(document, this.catalog, test.parameters());
    this.lake = lake;
    this.execution = execution;
    this.now = now;
  }

  /**
   * Runs a test; never throws for what its text or the pipeline's says.
   *
   * @param catalog of the feeds and tables whose columns the pipeline's steps read
   * @param now the time of change and of intake, for steps that use it
   * @throws yardage.core.exec.CancelledException when it was cancelled
   */
  public static TestResult of(
      TestDocument test,
      String pipeline,
      Catalog catalog,
      Lake lake,
      ExecutionContext execution,
      Instant now) {
    return new TestRun(test, pipeline, catalog, lake, execution, now).run();
  }

  private TestResult run() {
    long start = System.nanoTime();
    List<TestResult.Outcome> outcomes = new ArrayList<>();
    Optional<String> failure = Optional.empty();
    Map<String, Relation> given = given();
    test.expect().keySet().forEach(this::checkStep);
    if (problems.isEmpty()) {
      try {
        for (Map.Entry<TextValue, TestDocument.Expected> e : test.expect().entrySet()) {
          outcomes.add(outcome(e.getKey().text(), e.getValue(), given));
        }
      } catch (RunFailedException e) {
        failure =
            Optional.of(
                e.step().isEmpty()
                    ? e.getMessage()
                    : "Step [%s]: %s".formatted(e.step(), e.getMessage()));
      }
    }
    return new TestResult(
        test.name(),
        test.of(),
        problems,
        failure,
        problems.isEmpty() ? outcomes : List.of(),
        (System.nanoTime() - start) / 1_000_000);
  }

  private void checkStep(TextValue step) {
    PipelineDocument document = check.document();
    if (!document.steps().containsKey(step.text())) {
      unknown(step, "step", document.stepNames());
      return;
    }
    check.errorsUpTo(step.text()).stream()
        .filter(p -> !problems.contains(p))
        .forEach(problems::add);
  }

  private void unknown(TextValue step, String what, List<String> there) {
    problems.add(
        new Problem(
            Problem.Severity.ERROR,
            "unknown-step",
            "",
            step.text(),
            step.place(),
            "Pipeline [%s] has no %s [%s]%s"
                .formatted(
                    check.document().name(), what, step.text(), Names.instead(step.text(), there)),
            Names.nearest(step.text(), there)));
  }

  /** What each step that reads has: the rows that are given, or none. */
  private Map<String, Relation> given() {
    Map<String, Relation> out = new HashMap<>();
    Map<String, List<TestDocument.Row>> byStep = new LinkedHashMap<>();
    List<String> reading =
        check.document().steps().values().stream()
            .filter(s -> s.verb() instanceof Verb.ReadFeed || s.verb() instanceof Verb.ReadTable)
            .map(PipelineDocument.Step::name)
            .toList();
    test.given()
        .forEach(
            (step, rows) -> {
              if (reading.contains(step.text())) {
                byStep.put(step.text(), rows);
              } else {
                unknown(step, "step that reads", reading);
              }
            });
    for (String step : reading) {
      Schema schema = check.schema(step);
      if (schema != null) {
        Batch batch =
            new GivenValues(step, schema, problems).batch(byStep.getOrDefault(step, List.of()));
        out.put(step, Sample.of(schema, batch));
      }
    }
    return out;
  }

  private TestResult.Outcome outcome(
      String step, TestDocument.Expected expected, Map<String, Relation> given) {
    List<Batch> rows = rows(step, given);
    long count = rows.stream().mapToLong(Batch::rowCount).sum();
    if (expected instanceof TestDocument.Expected.Count c) {
      return new TestResult.Outcome(
          step,
          c.rows() == count,
          c.rows() == count
              ? rows(count)
              : "%s where %s expected".formatted(rows(count), isExpected(c.rows())),
          List.of(),
          List.of(),
          List.of());
    }
    return compared(step, ((TestDocument.Expected.Rows) expected).rows(), rows, count);
  }

  private static String rows(long n) {
    return n == 1 ? "1 row" : "%,d rows".formatted(n);
  }

  private static String isExpected(long n) {
    return n == 1 ? "1 was" : "%,d were".formatted(n);
  }

  private List<Batch> rows(String step, Map<String, Relation> given) {
    // Counted by step, so that a failure tells which.
    Map<String, StepTally> tallies = new ConcurrentHashMap<>();
    TaskEndpoints endpoints = TaskEndpoints.reading(lake);
    try {
      PipelineRun.Setting setting =
          new PipelineRun.Setting(
              "test",
              now,
              lake,
              catalog,
              feed -> Map.of(),
              Optional.empty(),
              execution,
              line -> {});
      PlanNode plan = RunPlan.upTo(step, check, setting, given, w -> {}).rowsOf(step);
      return new Executor(
              execution,
              endpoints,
              name -> tallies.computeIfAbsent(name, n -> new StepTally(n, "")))
          .collect(plan, PlanNode.UNTOLD);
    } catch (Exception | OutOfMemoryError e) {
      throw RunFailures.of(e);
    } finally {
      endpoints.close();
    }
  }

  private TestResult.Outcome compared(
      String step, List<TestDocument.Row> expected, List<Batch> rows, long count) {
    Schema schema = check.schema(step);
    GivenValues values = new GivenValues(step, schema, problems);
    List<Integer> columns = values.columns(expected);
    Batch wanted = values.batch(expected);
    List<List<Optional<String>>> surplus = new ArrayList<>();
    for (Batch batch : rows) {
      for (int r = 0; r < batch.rowCount(); r++) {
        surplus.add(GivenValues.texts(batch, r, columns));
      }
    }
    List<List<Optional<String>>> missing = new ArrayList<>();
    for (int r = 0; r < wanted.rowCount(); r++) {
      List<Optional<String>> row = GivenValues.texts(wanted, r, columns);
      if (!surplus.remove(row)) {
        missing.add(row);
      }
    }
    boolean passed = missing.isEmpty() && surplus.isEmpty();
    return new TestResult.Outcome(
        step,
        passed,
        passed
            ? rows(count) + ", as expected"
            : "%s: %,d of %,d expected did not come, and %,d came that were not expected"
                .formatted(rows(count), missing.size(), expected.size(), surplus.size()),
        columns.stream().map(c -> schema.field(c).name()).toList(),
        missing.subList(0, Math.min(MOST_TOLD, missing.size())),
        surplus.subList(0, Math.min(MOST_TOLD, surplus.size())));
  }
}

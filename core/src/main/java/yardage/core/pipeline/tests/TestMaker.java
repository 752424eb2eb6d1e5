package yardage.core.pipeline.tests;

import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.exec.Executor;
import yardage.core.exec.StepTally;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.preview.Preview;
import yardage.core.pipeline.preview.PreviewRun;
import yardage.core.pipeline.preview.Sample;
import yardage.core.pipeline.preview.Samples;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.pipeline.run.RunFailures;
import yardage.core.pipeline.run.RunPlan;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;
import yardage.core.task.TaskEndpoints;

/**
 * Makes a test of rows as they are. Of sources in which others look up only those rows are given
 * without which the result would be another: parts are taken away, smaller and smaller ones, as
 * long as it stays the same (A. Zeller and R. Hildebrandt, Simplifying and Isolating
 * Failure-Inducing Input, IEEE TSE 28, 2002).
 */
public final class TestMaker {
  /** For each source. */
  private static final int MOST_TRIES = 150;

  private final PipelineCheck check;
  private final PipelineRun.Setting setting;
  private final String step;
  private final Set<String> surrogates;
  private final Map<String, Batch> given = new LinkedHashMap<>();
  private final long endNanos;

  /** Computes as the test will. */
  private TestMaker(
      PipelineCheck there, PipelineRun.Setting setting, String step, Duration patience) {
    this.endNanos = System.nanoTime() + patience.toNanos();
    this.check =
        PipelineCheck.of(
            there.document(), new WithoutMemory(setting.catalog(), there.document()), Map.of());
    this.setting = setting;
    this.step = step;
    this.surrogates = surrogates(there.document());
  }

  /**
   * A test's text.
   *
   * @param name of the test
   * @param question whose step's rows are expected, and which says what is read of sources
   * @param patience how long rows are taken away; what is left then stays
   */
  public static String text(
      String name,
      PipelineCheck check,
      PipelineRun.Setting setting,
      Samples samples,
      Preview.Question question,
      Duration patience) {
    Preview expected = PreviewRun.of(check, setting, samples, question);
    TestMaker maker = new TestMaker(check, setting, question.step(), patience);
    for (Preview.SourceRead source : expected.sources()) {
      Preview rows =
          PreviewRun.of(check, setting, samples, question.ofSource(source.step(), source.choice()));
      maker.given.put(source.step(), maker.together(rows.rows(), source.step()));
    }
    try {
      List<List<Object>> wanted = maker.compared(maker.result());
      expected.sources().stream()
          .filter(Preview.SourceRead::looksUp)
          .sorted(Comparator.comparingLong(Preview.SourceRead::rows).reversed())
          .forEach(s -> maker.reduce(s.step(), wanted));
      Map<String, TestText.Rows> few = new LinkedHashMap<>();
      maker.given.forEach(
          (s, batch) -> few.put(s, new TestText.Rows(check.schema(s), Batch.rows(List.of(batch)))));
      return TestText.of(
          name,
          check.document().name(),
          few,
          question.step(),
          new TestText.Rows(check.schema(question.step()), maker.result()));
    } catch (Exception | OutOfMemoryError e) {
      throw RunFailures.of(e);
    }
  }

  private Batch together(List<Batch> batches, String step) {
    List<Column> columns = new ArrayList<>();
    for (int c = 0; c < check.schema(step).size(); c++) {
      int column = c;
      columns.add(
          ColumnBuilder.concat(
              check.schema(step).field(c).type(),
              batches.stream().map(b -> b.column(column)).toList()));
    }
    return new Batch(columns, batches.stream().mapToInt(Batch::rowCount).sum(), 0);
  }

  /** Takes rows away that the result does not need. */
  private void reduce(String source, List<List<Object>> wanted) {
    Batch all = given.get(source);
    List<Integer> kept =
        IntStream.range(0, all.rowCount()).boxed().collect(Collectors.toCollection(ArrayList::new));
    int tries = 0;
    for (int chunk = kept.size(); chunk >= 1; chunk = chunk / 2) {
      for (int from = 0;
          from < kept.size() && tries < MOST_TRIES && System.nanoTime() < endNanos; ) {
        List<Integer> fewer = new ArrayList<>(kept.subList(0, from));
        fewer.addAll(kept.subList(Math.min(kept.size(), from + chunk), kept.size()));
        given.put(source, some(all, fewer));
        tries++;
        if (compared(result()).equals(wanted)) {
          kept = fewer;
        } else {
          from += chunk;
        }
      }
    }
    given.put(source, some(all, kept));
  }

  /**
   * What must stay the same. Which surrogate key a member has depends on the members before it, so
   * of keys only counts whether they are known.
   */
  private List<List<Object>> compared(List<List<Object>> rows) {
    List<List<Object>> out = new ArrayList<>();
    for (List<Object> row : rows) {
      List<Object> values = new ArrayList<>(row);
      for (int c = 0; c < values.size(); c++) {
        if (surrogates.contains(check.schema(step).field(c).name())
            && values.get(c) instanceof Long key) {
          values.set(c, Long.signum(key));
        }
      }
      out.add(values);
    }
    return out;
  }

  private static Set<String> surrogates(PipelineDocument document) {
    Set<String> out = new HashSet<>();
    for (PipelineDocument.Step s : document.steps().values()) {
      if (s.verb() instanceof Verb.Dimension dimension) {
        out.add(dimension.surrogate());
      } else if (s.verb() instanceof Verb.Fact fact) {
        fact.keys().keySet().forEach(k -> out.add(k.text()));
      }
    }
    return out;
  }

  private static Batch some(Batch all, List<Integer> rows) {
    int[] places = rows.stream().mapToInt(Integer::intValue).toArray();
    return all.gather(places, places.length);
  }

  /** What the step gives of the given rows, in an order of its own. */
  private List<List<Object>> result() {
    Map<String, Relation> relations = new HashMap<>();
    given.forEach((source, batch) -> relations.put(source, Sample.of(check.schema(source), batch)));
    StepTally uncounted = new StepTally(PlanNode.UNTOLD, "");
    TaskEndpoints endpoints = TaskEndpoints.reading(setting.lake());
    try {
      PlanNode plan = RunPlan.upTo(step, check, setting, relations, w -> {}).rowsOf(step);
      return Batch.rows(
          new Executor(setting.execution(), endpoints, s -> uncounted)
              .collect(plan, PlanNode.UNTOLD));
    } finally {
      endpoints.close();
    }
  }
}

package yardage.core.pipeline.insight;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Schema;
import yardage.core.insight.JoinDiagnosis;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.Located;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.pipeline.run.PipelineRun;

/**
 * The diagnosis of a join step, with the steps that would fix it.
 *
 * @param sampled whether an input was too long to be read whole
 * @param offers a step's text for each remedy that SQL can say, in the same order; empty for others
 */
public record JoinInsight(
    String step,
    String left,
    String right,
    List<String> leftKeys,
    List<String> rightKeys,
    boolean sampled,
    JoinDiagnosis diagnosis,
    List<String> offers) {
  private static final long ENOUGH_ROWS = 500_000;

  /** The steps of a document that can be diagnosed. */
  public static List<String> joins(PipelineDocument document) {
    return document.steps().values().stream()
        .filter(s -> s.verb() instanceof Verb.JoinStep j && !j.on().isEmpty())
        .map(PipelineDocument.Step::name)
        .toList();
  }

  /**
   * @param run over a checked document; one that takes all files, not only new ones
   * @throws IllegalArgumentException when the step is not a join on keys
   */
  public static JoinInsight of(PipelineCheck check, PipelineRun run, String step) {
    PipelineDocument.Step s = check.document().steps().get(step);
    if (s == null || !(s.verb() instanceof Verb.JoinStep join) || join.on().isEmpty()) {
      throw new IllegalArgumentException(
          "Step [%s] is not a join on keys; there are %s"
              .formatted(step, String.join(", ", joins(check.document()))));
    }
    String left = s.from().get(0).text();
    String right = join.with().text();
    List<String> leftKeys = join.on().keySet().stream().map(Located::text).toList();
    List<String> rightKeys = join.on().values().stream().map(Located::text).toList();
    List<Column> a = keys(run.rowsOf(left, ENOUGH_ROWS), check.schema(left), leftKeys);
    List<Column> b = keys(run.rowsOf(right, ENOUGH_ROWS), check.schema(right), rightKeys);
    boolean sampled = a.get(0).size() >= ENOUGH_ROWS || b.get(0).size() >= ENOUGH_ROWS;
    JoinDiagnosis diagnosis = JoinDiagnosis.of(a, leftKeys, b, rightKeys);
    List<String> offers =
        diagnosis.remedies().stream()
            .map(
                r ->
                    JoinMending.offers(left, right, r).stream()
                        .map(
                            o ->
                                o.text(
                                    JoinMending.name(o.input(), check.document().steps().keySet()),
                                    "  "))
                        .collect(Collectors.joining("\n")))
            .toList();
    return new JoinInsight(step, left, right, leftKeys, rightKeys, sampled, diagnosis, offers);
  }

  private static List<Column> keys(List<Batch> batches, Schema schema, List<String> names) {
    List<Column> out = new ArrayList<>();
    for (String name : names) {
      int at = schema.indexOf(name);
      out.add(
          ColumnBuilder.concat(
              schema.field(at).type(), batches.stream().map(x -> x.column(at)).toList()));
    }
    return out;
  }
}

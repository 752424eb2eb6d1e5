package yardage.core.pipeline.preview;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.TreeMap;
import java.util.function.Function;
import java.util.function.UnaryOperator;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.TableScan;
import org.apache.calcite.tools.RelBuilder;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.StepFailedException;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.sql.Columns;
import yardage.core.sql.PlanSession;
import yardage.core.sql.SqlProblemException;

/**
 * What expressions give over a step's rows. Those that give a value for each row are computed
 * together, so that the rows are made once.
 */
final class ExpressionValues {
  /** By which expressions may call the rows that they are over. */
  private static final String OVER = "step";

  private final PipelineCheck check;
  private final Schema row;
  private final int shown;
  private final Function<UnaryOperator<RelNode>, List<Batch>> ask;

  /**
   * @param row the columns of the rows
   * @param shown so many values of each are told
   * @param ask gives what is made of the rows
   */
  ExpressionValues(
      PipelineCheck check,
      Schema row,
      int shown,
      Function<UnaryOperator<RelNode>, List<Batch>> ask) {
    this.check = check;
    this.row = row;
    this.shown = shown;
    this.ask = ask;
  }

  /** An answer for each, in their order. */
  List<PreviewRun.Answer> of(List<String> expressions) {
    Map<Integer, PreviewRun.Answer> out = new TreeMap<>();
    Map<Integer, PlanSession.Planned> planned = new TreeMap<>();
    for (int i = 0; i < expressions.size(); i++) {
      try {
        planned.put(
            i,
            check.session().valueOf(check.expression(expressions.get(i)), OVER, new Columns(row)));
      } catch (SqlProblemException e) {
        out.put(i, new PreviewRun.Answer.Refused(e.getMessage()));
      }
    }
    out.putAll(together(planned));
    planned.keySet().removeAll(out.keySet());
    planned.forEach((i, p) -> out.put(i, alone(p)));
    return List.copyOf(out.values());
  }

  /** Of those that give a value for each row; of none where one of them fails at some row. */
  private Map<Integer, PreviewRun.Answer> together(Map<Integer, PlanSession.Planned> planned) {
    Map<Integer, PlanSession.Planned> each = new TreeMap<>(planned);
    each.values().removeIf(p -> !isOfEachRow(p.rel()));
    if (each.size() < 2) {
      return Map.of();
    }
    try {
      List<Batch> batches =
          ask.apply(
              rows -> {
                RelBuilder builder = check.session().builder().push(rows);
                return builder
                    .project(
                        each.values().stream()
                            .map(p -> ((Project) p.rel()).getProjects().get(0))
                            .toList(),
                        List.of(),
                        true)
                    .build();
              });
      Map<Integer, PreviewRun.Answer> out = new TreeMap<>();
      int column = 0;
      for (var one : each.entrySet()) {
        out.put(one.getKey(), answer(one.getValue(), batches, column++));
      }
      return out;
    } catch (StepFailedException e) {
      return Map.of();
    }
  }

  private static boolean isOfEachRow(RelNode rel) {
    return rel instanceof Project p && p.getInput() instanceof TableScan;
  }

  private PreviewRun.Answer alone(PlanSession.Planned planned) {
    try {
      return answer(
          planned, ask.apply(rows -> PlanSession.inline(planned.rel(), Map.of(OVER, rows))), 0);
    } catch (StepFailedException e) {
      return new PreviewRun.Answer.Failed(e.getMessage());
    }
  }

  private PreviewRun.Answer answer(PlanSession.Planned planned, List<Batch> batches, int column) {
    Type type = planned.schema().field(0).type();
    List<Object> first = new ArrayList<>();
    long count = 0;
    long holds = 0;
    for (Batch batch : batches) {
      count += batch.rowCount();
      Column values = batch.column(column);
      for (int r = 0; r < batch.rowCount(); r++) {
        if (first.size() < shown) {
          first.add(values.value(r));
        }
        holds += type.kind() == Type.Kind.BOOLEAN && Boolean.TRUE.equals(values.value(r)) ? 1 : 0;
      }
    }
    return new PreviewRun.Answer.Values(
        type,
        Collections.unmodifiableList(first),
        count,
        type.kind() == Type.Kind.BOOLEAN ? OptionalLong.of(holds) : OptionalLong.empty());
  }
}

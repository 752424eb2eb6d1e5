package yardage.core.pipeline.preview;

import java.util.List;
import java.util.OptionalLong;
import java.util.stream.IntStream;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.expr.Expression;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.GivenRows;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;

/**
 * Rows of a source that were read once and can be looked at again and again.
 *
 * @param rows how many
 * @param there how many the source has, where that is known
 * @param notes what is not among the rows, such as those that do not fit their feed
 */
public record Sample(GivenRows given, long rows, OptionalLong there, List<String> notes)
    implements Relation {
  public Sample {
    notes = List.copyOf(notes);
  }

  /** Rows that somebody gives, and of which nothing else is known. */
  public static Sample of(Schema schema, Batch rows) {
    GivenRows given = GivenRows.of(schema, rows.rowCount() == 0 ? List.of() : List.of(rows));
    return new Sample(given, rows.rowCount(), OptionalLong.empty(), List.of());
  }

  @Override
  public Schema schema() {
    return given.schema();
  }

  @Override
  public double rowCount() {
    return rows;
  }

  public long sizeBytes() {
    return given.frames().stream().mapToLong(f -> f.length).sum();
  }

  @Override
  public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
    PlanNode all = new PlanNode.Scan(given, schema(), step);
    List<Expression> refs =
        IntStream.of(columns)
            .<Expression>mapToObj(c -> Expression.input(c, schema().field(c).type()))
            .toList();
    return new PlanNode.Project(all, refs, schema().project(columns));
  }
}

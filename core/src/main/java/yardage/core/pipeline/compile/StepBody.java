package yardage.core.pipeline.compile;

import java.util.List;
import java.util.function.Function;
import org.apache.calcite.rel.RelNode;
import yardage.core.column.Schema;

/**
 * A step as algebra: the columns that it gives, and how it is made from its inputs, which must have
 * the columns it was compiled for.
 */
public record StepBody(Schema schema, Function<List<RelNode>, RelNode> build) {
  /** The rows of the first input as they come. */
  static StepBody passing(Schema schema) {
    return new StepBody(schema, inputs -> inputs.get(0));
  }
}

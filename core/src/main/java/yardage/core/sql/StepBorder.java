package yardage.core.sql;

import java.util.List;
import java.util.Optional;
import org.apache.calcite.plan.RelTraitSet;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.RelWriter;
import org.apache.calcite.rel.SingleRel;

/**
 * The border between two steps in the algebra. Rules do not see through it, so that each step's
 * rows are counted as the document says they flow; only unused columns are trimmed across it.
 */
public final class StepBorder extends SingleRel {
  private final Optional<String> outOf;
  private final Optional<String> into;
  private final boolean right;

  public StepBorder(RelNode input, Optional<String> outOf, Optional<String> into, boolean right) {
    super(input.getCluster(), input.getCluster().traitSet(), input);
    this.outOf = outOf;
    this.into = into;
    this.right = right;
  }

  Optional<String> outOf() {
    return outOf;
  }

  Optional<String> into() {
    return into;
  }

  boolean right() {
    return right;
  }

  @Override
  public RelNode copy(RelTraitSet traits, List<RelNode> inputs) {
    return new StepBorder(inputs.get(0), outOf, into, right);
  }

  @Override
  public RelWriter explainTerms(RelWriter writer) {
    return super.explainTerms(writer)
        .item("outOf", outOf.orElse(""))
        .item("into", into.orElse(""))
        .item("right", right);
  }
}

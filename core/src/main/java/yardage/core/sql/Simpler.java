package yardage.core.sql;

import java.util.List;
import java.util.function.UnaryOperator;
import org.apache.calcite.plan.RelOptPredicateList;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.logical.LogicalProject;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexSimplify;
import org.apache.calcite.rex.RexUtil;

/**
 * Writes expressions in fewer words: lists of values as one search, what is known without asking.
 */
final class Simpler extends RelHomogeneousShuttle {
  /** Larger ones take the library a time that grows with the square of their size, and more. */
  private static final int MOST_NODES = 1000;

  private final RexSimplify simplify;

  Simpler(RexBuilder rexBuilder) {
    simplify = new RexSimplify(rexBuilder, RelOptPredicateList.EMPTY, OwnCasts.NOTHING_COMPUTED);
  }

  @Override
  public RelNode visit(RelNode other) {
    RelNode node = super.visit(other);
    if (node instanceof Project p) {
      List<RexNode> simpler =
          p.getProjects().stream().map(e -> or(e, simplify::simplifyPreservingType)).toList();
      return simpler.equals(p.getProjects())
          ? p
          : LogicalProject.create(
              p.getInput(), p.getHints(), simpler, p.getRowType(), p.getVariablesSet());
    } else if (node instanceof Filter f) {
      return f.copy(
          f.getTraitSet(), f.getInput(), or(f.getCondition(), simplify::simplifyUnknownAsFalse));
    } else if (node instanceof Join j) {
      return j.copy(
          j.getTraitSet(),
          or(j.getCondition(), simplify::simplifyUnknownAsFalse),
          j.getLeft(),
          j.getRight(),
          j.getJoinType(),
          j.isSemiJoinDone());
    }
    return node;
  }

  private static RexNode or(RexNode expression, UnaryOperator<RexNode> simpler) {
    if (RexUtil.nodeCount(List.of(expression)) > MOST_NODES) {
      return expression;
    }
    try {
      return simpler.apply(expression);
    } catch (AssertionError e) {
      // The library fails at some contradictions among nulls; as it is it is right too.
      return expression;
    }
  }
}

package yardage.core.sql;

import java.util.List;
import org.apache.calcite.plan.hep.HepPlanner;
import org.apache.calcite.plan.hep.HepProgram;
import org.apache.calcite.plan.hep.HepProgramBuilder;
import org.apache.calcite.rel.RelHomogeneousShuttle;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rel.core.JoinRelType;
import org.apache.calcite.rel.rules.CoreRules;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.tools.RelBuilder;

/** Rewrites algebra such that less is read and held: the same rows come out. */
final class PlanRewrites {
  private static final HepProgram SETS =
      new HepProgramBuilder()
          .addRuleCollection(List.of(CoreRules.INTERSECT_TO_DISTINCT, CoreRules.MINUS_TO_DISTINCT))
          .build();

  private static final HepProgram REWRITES =
      new HepProgramBuilder()
          .addRuleCollection(
              List.of(
                  CoreRules.FILTER_INTO_JOIN,
                  CoreRules.JOIN_CONDITION_PUSH,
                  CoreRules.FILTER_PROJECT_TRANSPOSE,
                  CoreRules.FILTER_AGGREGATE_TRANSPOSE,
                  CoreRules.FILTER_SET_OP_TRANSPOSE,
                  CoreRules.FILTER_MERGE,
                  CoreRules.PROJECT_MERGE,
                  CoreRules.PROJECT_REMOVE,
                  CoreRules.UNION_MERGE))
          .build();

  private final RelBuilder builder;
  private final RexBuilder rexBuilder;

  PlanRewrites(RelBuilder builder) {
    this.builder = builder;
    this.rexBuilder = builder.getRexBuilder();
  }

  /** Filters are pushed down and projections merged; all columns stay. */
  RelNode rewritten(RelNode rel) {
    RelNode sets = run(SETS, rel.accept(new SetsWithCopies(builder)));
    return run(REWRITES, factored(sets));
  }

  /** Joins in the order that costs least, and only the columns that somebody reads. */
  RelNode finished(RelNode rewritten) {
    RelNode trimmed;
    try {
      trimmed = trimmed(rewritten, builder);
    } catch (AssertionError e) {
      // The library's simplification fails at contradictions among nulls.
      builder.getCluster().invalidateMetadataQuery();
      trimmed = trimmed(rewritten, builder.transform(c -> c.withSimplify(false)));
    }
    return run(REWRITES, trimmed);
  }

  private static RelNode trimmed(RelNode rel, RelBuilder with) {
    return new Trimmer(with).trim(new JoinOrder(with).order(rel));
  }

  /**
   * Takes what stands in every branch of an OR out of it, since only then can it be a join's key,
   * and adds what the OR says of each input alone.
   */
  private RelNode factored(RelNode rel) {
    ImpliedConditions implied = new ImpliedConditions(rexBuilder);
    return rel.accept(
        new RelHomogeneousShuttle() {
          @Override
          public RelNode visit(RelNode other) {
            RelNode node = super.visit(other);
            if (node instanceof Filter f) {
              RexNode condition = RexUtil.pullFactors(rexBuilder, f.getCondition());
              return f.copy(f.getTraitSet(), f.getInput(), implied.with(condition, f.getInputs()));
            }
            if (node instanceof Join j) {
              RexNode condition = RexUtil.pullFactors(rexBuilder, j.getCondition());
              return j.copy(
                  j.getTraitSet(),
                  j.getJoinType() == JoinRelType.INNER
                      ? implied.with(condition, j.getInputs())
                      : condition,
                  j.getLeft(),
                  j.getRight(),
                  j.getJoinType(),
                  j.isSemiJoinDone());
            }
            return node;
          }
        });
  }

  private static RelNode run(HepProgram program, RelNode rel) {
    HepPlanner planner = new HepPlanner(program);
    planner.setRoot(rel);
    try {
      return planner.findBestExp();
    } catch (AssertionError e) {
      // As it was it is right too, if slower.
      rel.getCluster().invalidateMetadataQuery();
      return rel;
    }
  }
}

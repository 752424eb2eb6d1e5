package yardage.core.sql;

import java.util.ArrayList;
import java.util.EnumSet;
import java.util.List;
import java.util.Set;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.util.ImmutableBitSet;

/**
 * What an OR over several inputs of a join says of each of them alone: of {@code a.x = 1 AND b.y =
 * 2 OR a.x = 3 AND b.y = 4} that a.x is 1 or 3, and b.y is 2 or 4. Only so can rows be left out
 * before they are joined.
 */
final class ImpliedConditions {
  /** Of what may be asked of rows that another condition would have kept from it: nothing fails. */
  private static final Set<SqlKind> NEVER_FAILS =
      EnumSet.of(
          SqlKind.EQUALS,
          SqlKind.NOT_EQUALS,
          SqlKind.LESS_THAN,
          SqlKind.LESS_THAN_OR_EQUAL,
          SqlKind.GREATER_THAN,
          SqlKind.GREATER_THAN_OR_EQUAL,
          SqlKind.SEARCH,
          SqlKind.LIKE,
          SqlKind.IS_NULL,
          SqlKind.IS_NOT_NULL,
          SqlKind.AND,
          SqlKind.OR,
          SqlKind.NOT);

  private final RexBuilder rexBuilder;

  ImpliedConditions(RexBuilder rexBuilder) {
    this.rexBuilder = rexBuilder;
  }

  /**
   * A condition with what it says of each input alone.
   *
   * @param inputs of which the condition names the columns, in a row
   */
  RexNode with(RexNode condition, List<RelNode> inputs) {
    List<ImmutableBitSet> leaves = new ArrayList<>();
    int width = 0;
    for (RelNode input : inputs) {
      width = addLeaves(input, width, leaves);
    }
    List<RexNode> parts = RelOptUtil.conjunctions(condition);
    List<RexNode> out = new ArrayList<>(parts);
    for (RexNode part : parts) {
      ImmutableBitSet asked = RelOptUtil.InputFinder.bits(part);
      if (part.getKind() == SqlKind.OR && leaves.stream().noneMatch(l -> l.contains(asked))) {
        leaves.forEach(leaf -> addOf(part, leaf, out));
      }
    }
    return out.size() == parts.size() ? condition : RexUtil.composeConjunction(rexBuilder, out);
  }

  private static int addLeaves(RelNode rel, int start, List<ImmutableBitSet> out) {
    if (rel instanceof Join join) {
      int middle = addLeaves(join.getLeft(), start, out);
      return join.getJoinType().projectsRight() ? addLeaves(join.getRight(), middle, out) : middle;
    }
    if (rel instanceof Filter filter) {
      return addLeaves(filter.getInput(), start, out);
    }
    int end = start + rel.getRowType().getFieldCount();
    out.add(ImmutableBitSet.range(start, end));
    return end;
  }

  /** What any of the branches says of a leaf, if all of them say something. */
  private void addOf(RexNode any, ImmutableBitSet leaf, List<RexNode> out) {
    List<RexNode> said = new ArrayList<>();
    for (RexNode branch : RelOptUtil.disjunctions(any)) {
      List<RexNode> ofLeaf =
          RelOptUtil.conjunctions(branch).stream()
              .filter(c -> neverFails(c) && isOf(leaf, RelOptUtil.InputFinder.bits(c)))
              .toList();
      if (ofLeaf.isEmpty()) {
        return;
      }
      said.add(RexUtil.composeConjunction(rexBuilder, ofLeaf));
    }
    out.add(RexUtil.composeDisjunction(rexBuilder, said));
  }

  private static boolean isOf(ImmutableBitSet leaf, ImmutableBitSet asked) {
    return !asked.isEmpty() && leaf.contains(asked);
  }

  private static boolean neverFails(RexNode rex) {
    return rex instanceof RexInputRef
        || rex instanceof RexLiteral
        || rex instanceof RexCall call
            && NEVER_FAILS.contains(call.getKind())
            && call.getOperands().stream().allMatch(ImpliedConditions::neverFails);
  }
}

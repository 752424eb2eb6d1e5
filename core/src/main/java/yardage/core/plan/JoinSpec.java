package yardage.core.plan;

import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.expr.Expression;

/**
 * An equality join. {@code residual} sees the left columns, then the right ones, and decides
 * together with the keys whether a pair matches. Some kinds give the columns of one side only. Null
 * keys match nothing.
 *
 * @param mainIsRight whether the step's main input is the right one, as its account means it
 * @param keepsKeys whether keys whose rows the join multiplies are noted
 * @param prunes whether nobody counts left rows that match nothing, so that they need not be read
 */
public record JoinSpec(
    String step,
    JoinKind kind,
    int[] leftKeys,
    int[] rightKeys,
    Optional<Expression> residual,
    Schema left,
    Schema right,
    Schema schema,
    boolean mainIsRight,
    boolean keepsKeys,
    boolean prunes)
    implements Spec {
  public JoinSpec {
    leftKeys = Ordinals.within(leftKeys, left.size());
    rightKeys = Ordinals.within(rightKeys, right.size());
    if (leftKeys.length != rightKeys.length) {
      throw new IllegalArgumentException(
          "%d keys on the left and %d on the right".formatted(leftKeys.length, rightKeys.length));
    }
    if (prunes && (kind.keepsLeft() || kind == JoinKind.ANTI)) {
      throw new IllegalArgumentException("A join that gives rows without a match needs them all");
    }
    int width = (kind.givesLeft() ? left.size() : 0) + (kind.givesRight() ? right.size() : 0);
    if (schema.size() != width) {
      throw new IllegalArgumentException(
          "A join of %d and %d columns cannot give %d"
              .formatted(left.size(), right.size(), schema.size()));
    }
    if (!kind.givesLeft() && !mainIsRight) {
      throw new IllegalArgumentException("A join that gives right rows alone is about them");
    }
  }
}

package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;
import yardage.core.plan.JoinKind;
import yardage.core.plan.JoinSpec;
import yardage.core.plan.PlanNode;
import yardage.core.plan.PlanNode.Join;

/**
 * How a join is carried out: which input waits in memory, and keys of one type on both sides. The
 * rows and columns are those of the join as it is written.
 */
final class JoinPlan {
  private JoinPlan() {}

  /**
   * @param turns whether the left input is so much the smaller one that it had better wait
   */
  static PlanNode of(Join join, JoinHints hints, boolean turns) {
    if (hasUnlikeKeys(join)) {
      return withLikeKeys(join, hints);
    }
    JoinSpec spec = join.spec().keepingKeys(hints.keepsKeys());
    Join hinted = new Join(join.left(), join.right(), spec);
    boolean plain = spec.residual().isEmpty();
    if (turns && plain && spec.kind() == JoinKind.INNER) {
      return turned(hinted, spec.kind(), false);
    }
    boolean canHoldMain = spec.kind() == JoinKind.INNER || spec.kind() == JoinKind.LEFT;
    if (hints.holdMain() && plain && canHoldMain) {
      return turned(hinted, spec.kind() == JoinKind.LEFT ? JoinKind.RIGHT : spec.kind(), true);
    }
    return hinted;
  }

  /** The inputs the other way round; the columns come out as they were. */
  private static PlanNode turned(Join join, JoinKind kind, boolean mainIsRight) {
    JoinSpec spec = join.spec();
    int leftSize = spec.left().size();
    int rightSize = spec.right().size();
    List<Schema.Field> all = spec.schema().fields();
    List<Schema.Field> fields = new ArrayList<>(all.subList(leftSize, all.size()));
    fields.addAll(all.subList(0, leftSize));
    PlanNode turned =
        new Join(
            join.right(),
            join.left(),
            new JoinSpec(
                spec.step(),
                kind,
                spec.rightKeys(),
                spec.leftKeys(),
                Optional.empty(),
                spec.right(),
                spec.left(),
                new Schema(fields),
                mainIsRight,
                spec.keepsKeys()));
    List<Expression> back = new ArrayList<>();
    for (int i = 0; i < all.size(); i++) {
      back.add(Expression.input(i < leftSize ? rightSize + i : i - leftSize, all.get(i).type()));
    }
    return new PlanNode.Project(turned, back, join.schema());
  }

  private static boolean hasUnlikeKeys(Join join) {
    for (int k = 0; k < join.spec().leftKeys().length; k++) {
      if (!keyType(join.left(), join.spec().leftKeys()[k])
          .equals(keyType(join.right(), join.spec().rightKeys()[k]))) {
        return true;
      }
    }
    return false;
  }

  private static Type keyType(PlanNode input, int key) {
    return input.schema().field(key).type();
  }

  /**
   * Keys of unlike storage are cast to a common type, in columns appended for the join and dropped
   * behind it.
   */
  private static PlanNode withLikeKeys(Join join, JoinHints hints) {
    if (join.spec().residual().isPresent()) {
      throw new UnsupportedSqlException(
          "A join on keys of different types cannot have further conditions; cast the keys to one type");
    }
    int[] leftKeys = join.spec().leftKeys().clone();
    int[] rightKeys = join.spec().rightKeys().clone();
    List<Expression> leftExtra = new ArrayList<>();
    List<Expression> rightExtra = new ArrayList<>();
    int leftSize = join.left().schema().size();
    int rightSize = join.right().schema().size();
    for (int k = 0; k < leftKeys.length; k++) {
      Type a = keyType(join.left(), leftKeys[k]);
      Type b = keyType(join.right(), rightKeys[k]);
      if (!a.equals(b)) {
        Type common = PhysicalPlanner.common(a, b);
        leftExtra.add(Cast.ifNeeded(Expression.input(leftKeys[k], a), common));
        leftKeys[k] = leftSize + leftExtra.size() - 1;
        rightExtra.add(Cast.ifNeeded(Expression.input(rightKeys[k], b), common));
        rightKeys[k] = rightSize + rightExtra.size() - 1;
      }
    }
    PlanNode left = widened(join.left(), leftExtra, "l");
    PlanNode right = widened(join.right(), rightExtra, "r");
    boolean leftOnly = join.spec().kind() == JoinKind.SEMI || join.spec().kind() == JoinKind.ANTI;
    List<Schema.Field> fields = new ArrayList<>(left.schema().fields());
    if (!leftOnly) {
      fields.addAll(right.schema().fields());
    }
    PlanNode joined =
        of(
            new Join(
                left,
                right,
                join.spec().kind(),
                leftKeys,
                rightKeys,
                Optional.empty(),
                new Schema(fields),
                join.spec().step()),
            hints,
            false);
    List<Expression> back = new ArrayList<>();
    for (int i = 0; i < join.schema().size(); i++) {
      back.add(
          Expression.input(i < leftSize ? i : i + leftExtra.size(), join.schema().field(i).type()));
    }
    return new PlanNode.Project(joined, back, join.schema());
  }

  private static PlanNode widened(PlanNode input, List<Expression> extra, String prefix) {
    List<Expression> all = new ArrayList<>();
    for (int i = 0; i < input.schema().size(); i++) {
      all.add(Expression.input(i, input.schema().field(i).type()));
    }
    all.addAll(extra);
    List<Schema.Field> fields = new ArrayList<>();
    for (int i = 0; i < all.size(); i++) {
      fields.add(new Schema.Field(prefix + i, all.get(i).type()));
    }
    return new PlanNode.Project(input, all, new Schema(fields));
  }
}

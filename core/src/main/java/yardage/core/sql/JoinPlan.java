package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.PhysicalNode;
import yardage.core.exec.PhysicalNode.HashJoin;
import yardage.core.exec.PhysicalNode.JoinKind;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;

/**
 * How a join is carried out: which input waits in memory, and keys of one type on both sides. The
 * rows and columns are those of the join as it is written.
 */
final class JoinPlan {
  private JoinPlan() {}

  /**
   * @param turns whether the left input is so much the smaller one that it had better wait
   */
  static PhysicalNode of(HashJoin join, boolean turns) {
    if (hasUnlikeKeys(join)) {
      return withLikeKeys(join);
    }
    boolean either = join.kind() == JoinKind.INNER && join.residual().isEmpty();
    return turns && either ? turned(join, join.kind(), false) : asTheStepSays(join);
  }

  /** As it is written, or with the main input in memory where its step says so. */
  private static PhysicalNode asTheStepSays(HashJoin join) {
    boolean canHoldMain = join.kind() == JoinKind.INNER || join.kind() == JoinKind.LEFT;
    if (!join.tally().holdsMain() || !canHoldMain || join.residual().isPresent()) {
      return join;
    }
    return turned(join, join.kind() == JoinKind.LEFT ? JoinKind.RIGHT : join.kind(), true);
  }

  /** The inputs the other way round; the columns come out as they were. */
  private static PhysicalNode turned(HashJoin join, JoinKind kind, boolean mainIsRight) {
    int leftSize = join.left().schema().size();
    int rightSize = join.right().schema().size();
    List<Schema.Field> all = join.schema().fields();
    List<Schema.Field> fields = new ArrayList<>(all.subList(leftSize, all.size()));
    fields.addAll(all.subList(0, leftSize));
    PhysicalNode turned =
        new HashJoin(
            join.right(),
            join.left(),
            kind,
            join.rightKeys(),
            join.leftKeys(),
            Optional.empty(),
            new Schema(fields),
            join.tally(),
            mainIsRight);
    List<Expression> back = new ArrayList<>();
    for (int i = 0; i < all.size(); i++) {
      back.add(Expression.input(i < leftSize ? rightSize + i : i - leftSize, all.get(i).type()));
    }
    return new PhysicalNode.Project(turned, back, join.schema());
  }

  private static boolean hasUnlikeKeys(HashJoin join) {
    for (int k = 0; k < join.leftKeys().length; k++) {
      if (!keyType(join.left(), join.leftKeys()[k])
          .equals(keyType(join.right(), join.rightKeys()[k]))) {
        return true;
      }
    }
    return false;
  }

  private static Type keyType(PhysicalNode input, int key) {
    return input.schema().field(key).type();
  }

  /**
   * Keys of unlike storage are cast to a common type, in columns appended for the join and dropped
   * behind it.
   */
  private static PhysicalNode withLikeKeys(HashJoin join) {
    if (join.residual().isPresent()) {
      throw new UnsupportedSqlException(
          "A join on keys of different types cannot have further conditions; cast the keys to one type");
    }
    int[] leftKeys = join.leftKeys().clone();
    int[] rightKeys = join.rightKeys().clone();
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
    PhysicalNode left = widened(join.left(), leftExtra, "l");
    PhysicalNode right = widened(join.right(), rightExtra, "r");
    boolean leftOnly = join.kind() == JoinKind.SEMI || join.kind() == JoinKind.ANTI;
    List<Schema.Field> fields = new ArrayList<>(left.schema().fields());
    if (!leftOnly) {
      fields.addAll(right.schema().fields());
    }
    PhysicalNode joined =
        asTheStepSays(
            new HashJoin(
                left,
                right,
                join.kind(),
                leftKeys,
                rightKeys,
                Optional.empty(),
                new Schema(fields),
                join.tally()));
    List<Expression> back = new ArrayList<>();
    for (int i = 0; i < join.schema().size(); i++) {
      back.add(
          Expression.input(i < leftSize ? i : i + leftExtra.size(), join.schema().field(i).type()));
    }
    return new PhysicalNode.Project(joined, back, join.schema());
  }

  private static PhysicalNode widened(PhysicalNode input, List<Expression> extra, String prefix) {
    List<Expression> all = new ArrayList<>();
    for (int i = 0; i < input.schema().size(); i++) {
      all.add(Expression.input(i, input.schema().field(i).type()));
    }
    all.addAll(extra);
    List<Schema.Field> fields = new ArrayList<>();
    for (int i = 0; i < all.size(); i++) {
      fields.add(new Schema.Field(prefix + i, all.get(i).type()));
    }
    return new PhysicalNode.Project(input, all, new Schema(fields));
  }
}

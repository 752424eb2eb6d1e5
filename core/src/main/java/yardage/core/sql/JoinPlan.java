package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.stream.IntStream;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexUtil;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.CaseWhen;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
import yardage.core.expr.Logic;
import yardage.core.plan.JoinKind;
import yardage.core.plan.JoinSpec;
import yardage.core.plan.PlanNode;
import yardage.core.plan.PlanNode.Join;

/**
 * How a join is carried out: which input waits in memory, and keys of one type on both sides. The
 * rows and columns are those of the join as it is written.
 *
 * @param rest the condition beside the keys, over the columns of both inputs
 */
record JoinPlan(
    PlanNode left,
    PlanNode right,
    JoinKind kind,
    List<Key> keys,
    RexNode rest,
    Schema schema,
    String step) {

  /**
   * Columns that must be equal.
   *
   * @param nullsMatch whether null is equal to null, as IS NOT DISTINCT FROM has it
   */
  record Key(int left, int right, boolean nullsMatch) {}

  /**
   * @param turns whether the left input is so much the smaller one that it had better wait
   */
  PlanNode node(RexTranslator rex, JoinHints hints, boolean turns) {
    if (!keys.stream().allMatch(this::isPlain)) {
      return withMadeKeys(rex, hints, turns);
    }
    if (turns) {
      switch (kind) {
        case INNER -> {
          return turned(rex, hints, kind, false);
        }
        case SEMI -> {
          return turned(rex, hints, JoinKind.RIGHT_SEMI, true);
        }
        case ANTI -> {
          return turned(rex, hints, JoinKind.RIGHT_ANTI, true);
        }
        default -> {}
      }
    }
    boolean canHoldMain = kind == JoinKind.INNER || kind == JoinKind.LEFT;
    if (hints.holdMain() && rest.isAlwaysTrue() && canHoldMain) {
      return turned(rex, hints, kind == JoinKind.LEFT ? JoinKind.RIGHT : kind, true);
    }
    return join(rex, hints, false);
  }

  private boolean isPlain(Key key) {
    return !key.nullsMatch()
        && left.schema().field(key.left()).type().equals(right.schema().field(key.right()).type());
  }

  private Join join(RexTranslator rex, JoinHints hints, boolean mainIsRight) {
    boolean needsAll = hints.counts() || kind.keepsLeft() || kind == JoinKind.ANTI;
    JoinSpec spec =
        new JoinSpec(
            step,
            kind,
            keys.stream().mapToInt(Key::left).toArray(),
            keys.stream().mapToInt(Key::right).toArray(),
            rest.isAlwaysTrue() ? Optional.empty() : Optional.of(rex.translate(rest)),
            left.schema(),
            right.schema(),
            schema,
            mainIsRight,
            hints.keepsKeys(),
            !needsAll);
    return new Join(left, right, spec);
  }

  /**
   * The inputs the other way round; the columns come out as they were. Rows of a semi or anti join
   * wait until all others have passed by.
   *
   * @param then the kind that gives the same rows
   */
  private PlanNode turned(RexTranslator rex, JoinHints hints, JoinKind then, boolean mainIsRight) {
    int leftSize = left.schema().size();
    int rightSize = right.schema().size();
    List<Integer> rightFirst =
        IntStream.range(0, leftSize + rightSize)
            .mapToObj(i -> i < rightSize ? leftSize + i : i - rightSize)
            .toList();
    JoinPlan turned =
        new JoinPlan(
            right,
            left,
            then,
            keys.stream().map(k -> new Key(k.right(), k.left(), k.nullsMatch())).toList(),
            Refs.within(rest, rightFirst),
            then.givesLeft() ? new Schema(rightFirst.stream().map(schema::field).toList()) : schema,
            step);
    if (!then.givesLeft()) {
      return turned.join(rex, hints, mainIsRight);
    }
    List<Expression> back = new ArrayList<>();
    for (int i = 0; i < schema.size(); i++) {
      back.add(Expression.input(rightFirst.indexOf(i), schema.field(i).type()));
    }
    return new PlanNode.Project(turned.join(rex, hints, mainIsRight), back, schema);
  }

  /**
   * Keys of unlike storage are cast to a common type, and of keys whose nulls match both whether
   * they are null and what they are otherwise is compared: in columns appended for the join and
   * dropped behind it.
   */
  private PlanNode withMadeKeys(RexTranslator rex, JoinHints hints, boolean turns) {
    Side l = new Side(left);
    Side r = new Side(right);
    for (Key key : keys) {
      if (isPlain(key)) {
        l.keys.add(key.left());
        r.keys.add(key.right());
        continue;
      }
      Type a = left.schema().field(key.left()).type();
      Type b = right.schema().field(key.right()).type();
      Type common = a.equals(b) ? a : PhysicalPlanner.common(a, b);
      l.make(key.left(), common, key.nullsMatch());
      r.make(key.right(), common, key.nullsMatch());
    }
    PlanNode wideLeft = widened(left, l.made, "l");
    PlanNode wideRight = widened(right, r.made, "r");
    boolean leftOnly = kind == JoinKind.SEMI || kind == JoinKind.ANTI;
    List<Schema.Field> fields = new ArrayList<>(wideLeft.schema().fields());
    if (!leftOnly) {
      fields.addAll(wideRight.schema().fields());
    }
    List<Key> made = new ArrayList<>();
    for (int k = 0; k < l.keys.size(); k++) {
      made.add(new Key(l.keys.get(k), r.keys.get(k), false));
    }
    PlanNode joined =
        new JoinPlan(
                wideLeft,
                wideRight,
                kind,
                made,
                RexUtil.shift(rest, left.schema().size(), l.made.size()),
                new Schema(fields),
                step)
            .node(rex, hints, turns);
    int leftSize = left.schema().size();
    List<Expression> back = new ArrayList<>();
    for (int i = 0; i < schema.size(); i++) {
      back.add(Expression.input(i < leftSize ? i : i + l.made.size(), schema.field(i).type()));
    }
    return new PlanNode.Project(joined, back, schema);
  }

  /** The keys of one input, and the columns that are made for them. */
  private static final class Side {
    private final PlanNode input;
    private final List<Integer> keys = new ArrayList<>();
    private final List<Expression> made = new ArrayList<>();

    Side(PlanNode input) {
      this.input = input;
    }

    void make(int column, Type type, boolean nullsMatch) {
      Expression value =
          Cast.ifNeeded(Expression.input(column, input.schema().field(column).type()), type);
      if (!nullsMatch) {
        add(value);
        return;
      }
      Expression isNull = new Logic.IsNull(value, false);
      add(isNull);
      add(new CaseWhen(List.of(isNull), List.of(Literal.zero(type)), value, type));
    }

    private void add(Expression e) {
      keys.add(input.schema().size() + made.size());
      made.add(e);
    }
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

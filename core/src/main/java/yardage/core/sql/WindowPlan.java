package yardage.core.sql;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexFieldCollation;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexOver;
import org.apache.calcite.rex.RexShuttle;
import org.apache.calcite.rex.RexWindow;
import org.apache.calcite.rex.RexWindowBound;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.type.SqlTypeName;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.WindowStep;
import yardage.core.exec.WindowStep.Call;
import yardage.core.exec.WindowStep.Edge;
import yardage.core.exec.WindowStep.Frame;
import yardage.core.exec.WindowStep.Ranking;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;

/**
 * A projection with window functions, taken apart: what the windows need is computed below them,
 * what uses them above.
 */
final class WindowPlan {
  private final RexBuilder rexBuilder;
  private final RexTranslator rex;
  private final PlanNode input;
  private final List<RexNode> expressions;
  private final List<Expression> below = new ArrayList<>();
  private final Map<RexNode, Integer> placeOf = new LinkedHashMap<>();
  private final Map<RexOver, Integer> callOf = new LinkedHashMap<>();
  private final List<Call> calls = new ArrayList<>();
  private final List<Window> windows = new ArrayList<>();

  /** For LAG and LEAD with a default the call that is null where there is no such row. */
  private final Map<RexOver, Integer> thereOf = new HashMap<>();

  /** The column of each call's result. */
  private final Map<Integer, Integer> resultOf = new HashMap<>();

  WindowPlan(RexBuilder rexBuilder, RexTranslator rex, PlanNode input, List<RexNode> expressions) {
    this.rexBuilder = rexBuilder;
    this.rex = rex;
    this.input = input;
    this.expressions = expressions;
    for (int i = 0; i < input.schema().size(); i++) {
      below.add(Expression.input(i, input.schema().field(i).type()));
    }
    RexShuttle collect =
        new RexShuttle() {
          @Override
          public RexNode visitOver(RexOver over) {
            if (over.getOperands().stream().anyMatch(RexOver::containsOver)) {
              throw new UnsupportedSqlException(
                  "A window function inside another is not supported; compute the inner one in a step before");
            }
            if (!callOf.containsKey(over)) {
              callOf.put(over, calls.size());
              Call call = call(over);
              add(over, call);
              if (call instanceof WindowStep.Before before && over.getOperands().size() > 2) {
                thereOf.put(over, calls.size());
                // Where nulls are skipped, a null is that no row is there.
                add(over, before.skipNulls() ? before : there(before));
              }
            }
            return over;
          }
        };
    expressions.forEach(e -> e.accept(collect));
  }

  private void add(RexOver over, Call call) {
    RexWindow window = over.getWindow();
    List<SortKey> order = new ArrayList<>();
    for (RexFieldCollation key : window.orderKeys) {
      order.add(PhysicalPlanner.key(place(key.left), key.getDirection(), key.getNullDirection()));
    }
    List<Integer> partition =
        window.partitionKeys.stream().map(this::place).distinct().sorted().toList();
    calls.add(call);
    windows.add(new Window(partition, order, isTotal(call, partition, order)));
  }

  /** Such calls are kept apart from others: they need no order. */
  private static boolean isTotal(Call call, List<Integer> partition, List<SortKey> order) {
    return new WindowStep(partition.stream().mapToInt(c -> c).toArray(), order, List.of(call))
        .isTotals();
  }

  private int place(RexNode node) {
    if (node instanceof RexInputRef ref) {
      return ref.getIndex();
    }
    return placeOf.computeIfAbsent(
        node,
        n -> {
          below.add(rex.translate(n));
          return below.size() - 1;
        });
  }

  /** The window of a call. */
  private record Window(List<Integer> partition, List<SortKey> order, boolean totals) {}

  private Call call(RexOver over) {
    List<RexNode> operands = over.getOperands();
    SqlKind kind = over.getAggOperator().getKind();
    Frame frame = frame(over.getWindow());
    return switch (kind) {
      case ROW_NUMBER -> new WindowStep.Rank(Ranking.ROW_NUMBER, 0);
      case RANK -> new WindowStep.Rank(Ranking.RANK, 0);
      case DENSE_RANK -> new WindowStep.Rank(Ranking.DENSE_RANK, 0);
      case PERCENT_RANK -> new WindowStep.Rank(Ranking.PERCENT_RANK, 0);
      case CUME_DIST -> new WindowStep.Rank(Ranking.CUME_DIST, 0);
      case NTILE -> new WindowStep.Rank(Ranking.NTILE, positive(operands.get(0), "NTILE"));
      case LAG, LEAD -> {
        int rows = operands.size() > 1 ? rows(operands.get(1)) : 1;
        int argument = place(operands.get(0));
        yield new WindowStep.Before(
            argument, kind == SqlKind.LEAD ? -rows : rows, over.ignoreNulls(), type(argument));
      }
      case FIRST_VALUE, LAST_VALUE, NTH_VALUE -> {
        int argument = place(operands.get(0));
        int at =
            kind == SqlKind.NTH_VALUE
                ? positive(operands.get(1), "NTH_VALUE")
                : kind == SqlKind.FIRST_VALUE ? 1 : -1;
        yield new WindowStep.Nth(argument, at, over.ignoreNulls(), frame, type(argument));
      }
      default -> new WindowStep.Total(total(over), frame);
    };
  }

  private Type type(int column) {
    return below.get(column).type();
  }

  private AggregateCall total(RexOver over) {
    AggregateFunction function = function(over);
    List<RexNode> operands = over.getOperands();
    int argument = operands.isEmpty() ? -1 : place(operands.get(0));
    List<SortKey> order =
        function.isOfPairs() ? List.of(SortKey.of(place(operands.get(1)), false)) : List.of();
    return new AggregateCall(
        function,
        argument,
        over.isDistinct(),
        -1,
        AggregatePlan.resultType(function, argument < 0 ? Type.BIGINT : type(argument)),
        order,
        AggregatePlan.takesConstant(function) ? constant(function, over) : "");
  }

  private static String constant(AggregateFunction function, RexOver over) {
    if (over.getOperands().size() < 2) {
      return "";
    }
    if (over.getOperands().get(1) instanceof RexLiteral literal && !literal.isNull()) {
      return AggregatePlan.checked(function, AggregatePlan.text(literal));
    }
    throw new UnsupportedSqlException(
        "Write the second argument of %s as a constant".formatted(over.getAggOperator().getName()));
  }

  private static AggregateFunction function(RexOver over) {
    return AggregatePlan.function(over.getAggOperator())
        .filter(f -> f.family() != AggregateFunction.Family.SINGLE)
        .orElseThrow(
            () ->
                new UnsupportedSqlException(
                    "The window function [%s] is not supported; there are row_number, rank, dense_rank, ntile, percent_rank, cume_dist, lag, lead, first_value, last_value, nth_value, and all aggregate functions"
                        .formatted(
                            over.getAggOperator().getName().toLowerCase(java.util.Locale.ROOT))));
  }

  /**
   * @throws UnsupportedSqlException for a call that cannot be done
   */
  static void check(RexOver over) {
    try {
      List<RexNode> operands = over.getOperands();
      switch (over.getAggOperator().getKind()) {
        case ROW_NUMBER, RANK, DENSE_RANK, PERCENT_RANK, CUME_DIST, FIRST_VALUE, LAST_VALUE -> {
          // These take any column.
        }
        case NTILE -> positive(operands.get(0), "NTILE");
        case NTH_VALUE -> positive(operands.get(1), "NTH_VALUE");
        case LAG, LEAD -> {
          if (operands.size() > 1) {
            rows(operands.get(1));
          }
        }
        default -> {
          AggregateFunction function = function(over);
          if (AggregatePlan.takesConstant(function)) {
            constant(function, over);
          }
          AggregatePlan.refusePairs(function, over.isDistinct());
        }
      }
      check(over.getWindow().getLowerBound());
      check(over.getWindow().getUpperBound());
    } catch (UnsupportedSqlException e) {
      throw e.of(over.getAggOperator().getName());
    }
  }

  private static void check(RexWindowBound bound) {
    if (bound.getOffset() != null
        && !(bound.getOffset() instanceof RexLiteral literal
            && literal.getValueAs(BigDecimal.class) != null
            && literal.getValueAs(BigDecimal.class).signum() >= 0)) {
      throw new UnsupportedSqlException(
          "How far a window reaches is a constant that is not negative, as in ROWS 6 PRECEDING");
    }
  }

  private static int positive(RexNode node, String function) {
    int number = rows(node);
    if (number < 1) {
      throw new UnsupportedSqlException(
          "%s counts from 1; it cannot take [%d]".formatted(function, number));
    }
    return number;
  }

  private static int rows(RexNode node) {
    if (node instanceof RexLiteral literal && literal.getValueAs(BigDecimal.class) != null) {
      BigDecimal value = literal.getValueAs(BigDecimal.class);
      try {
        return value.intValueExact();
      } catch (ArithmeticException e) {
        throw new UnsupportedSqlException(
            "A number of rows is a whole number of at most %,d, not [%s]"
                .formatted(Integer.MAX_VALUE, value.toPlainString()));
      }
    }
    throw new UnsupportedSqlException("Write the number of rows in a window as a constant");
  }

  /** The same call over a column that is never null. */
  private Call there(WindowStep.Before call) {
    below.add(Literal.of(Type.BOOLEAN, true));
    return new WindowStep.Before(below.size() - 1, call.rows(), false, Type.BOOLEAN);
  }

  private Frame frame(RexWindow window) {
    boolean groups = WindowWords.countsGroups(window);
    return new Frame(
        groups || !window.isRows(),
        edge(window, window.getLowerBound(), groups),
        edge(window, window.getUpperBound(), groups));
  }

  private Edge edge(RexWindow window, RexWindowBound bound, boolean groups) {
    if (bound.isCurrentRow()) {
      return Edge.HERE;
    }
    if (bound.isUnbounded()) {
      return bound.isPreceding() ? Edge.START : Edge.END;
    }
    if (!groups && !window.isRows()) {
      return reach(window.orderKeys.get(0), bound);
    }
    long steps = rows(bound.getOffset());
    return new WindowStep.Steps(bound.isPreceding() ? -steps : steps);
  }

  /** The key, and a bound beside it: the key and what the frame reaches, in its direction. */
  private Edge reach(RexFieldCollation order, RexWindowBound bound) {
    RexNode key = order.left;
    RexNode far = bound.getOffset();
    boolean adds = bound.isFollowing() != order.getDirection().isDescending();
    RexNode edge;
    if (Intervals.is(far)) {
      edge =
          rexBuilder.makeCall(
              key.getType(),
              adds ? SqlStdOperatorTable.DATETIME_PLUS : SqlStdOperatorTable.MINUS_DATE,
              List.of(key, far));
    } else {
      RelDataType wide = wide(key.getType(), far.getType());
      key = rexBuilder.makeAbstractCast(wide, key, false);
      edge =
          rexBuilder.makeAbstractCast(
              wide,
              rexBuilder.makeCall(
                  adds ? SqlStdOperatorTable.PLUS : SqlStdOperatorTable.MINUS,
                  key,
                  rexBuilder.makeAbstractCast(
                      rexBuilder.getTypeFactory().createTypeWithNullability(wide, false),
                      far,
                      false)),
              false);
    }
    return new WindowStep.Reach(place(key), place(edge));
  }

  /** A type that holds a key and its bounds. */
  private RelDataType wide(RelDataType key, RelDataType far) {
    Type type = SqlTypes.fromSql(key);
    Type other = SqlTypes.fromSql(far);
    Type wide =
        type.isApproximate() || other.isApproximate()
            ? Type.DOUBLE
            : type.kind() != Type.Kind.DECIMAL && other.kind() != Type.Kind.DECIMAL
                ? Type.BIGINT
                : Type.decimal(38, Math.max(scale(type), scale(other)));
    return rexBuilder
        .getTypeFactory()
        .createTypeWithNullability(
            SqlTypes.toSql(wide, rexBuilder.getTypeFactory()), key.isNullable());
  }

  private static int scale(Type type) {
    return type.kind() == Type.Kind.DECIMAL ? type.scale() : 0;
  }

  /** The input with a column for each window function behind what they need. */
  PlanNode node(String step) {
    List<Schema.Field> fields = new ArrayList<>();
    for (int i = 0; i < below.size(); i++) {
      fields.add(new Schema.Field("c" + i, below.get(i).type()));
    }
    PlanNode wide =
        below.size() == input.schema().size()
            ? input
            : new PlanNode.Project(input, below, new Schema(fields));
    Map<Window, List<Integer>> alike = new LinkedHashMap<>();
    for (int i = 0; i < calls.size(); i++) {
      alike.computeIfAbsent(windows.get(i), w -> new ArrayList<>()).add(i);
    }
    PlanNode out = wide;
    for (Map.Entry<Window, List<Integer>> some : alike.entrySet()) {
      for (int i : some.getValue()) {
        resultOf.put(i, fields.size());
        fields.add(new Schema.Field("w" + i, calls.get(i).type()));
      }
      WindowStep window =
          new WindowStep(
              some.getKey().partition().stream().mapToInt(c -> c).toArray(),
              some.getKey().order(),
              some.getValue().stream().map(calls::get).toList());
      out = new PlanNode.Whole(out, window, "rows in windows", new Schema(fields), step);
    }
    return out;
  }

  /** A call's result, or its default where the row is not there. */
  private RexNode result(RexOver over) {
    RexNode value = new RexInputRef(resultOf.get(callOf.get(over)), over.getType());
    if (!thereOf.containsKey(over)) {
      return value;
    }
    RelDataType truth =
        rexBuilder
            .getTypeFactory()
            .createTypeWithNullability(
                rexBuilder.getTypeFactory().createSqlType(SqlTypeName.BOOLEAN), true);
    int shows = thereOf.get(over);
    RexNode there =
        new RexInputRef(resultOf.get(shows), over.ignoreNulls() ? over.getType() : truth);
    return rexBuilder.makeCall(
        SqlStdOperatorTable.CASE,
        rexBuilder.makeCall(SqlStdOperatorTable.IS_NOT_NULL, there),
        value,
        rexBuilder.ensureType(over.getType(), over.getOperands().get(2), true));
  }

  /** The projection over {@link #node}, which comes first. */
  List<Expression> results(Schema wanted) {
    Map<RexOver, RexNode> refs = new LinkedHashMap<>();
    List<Expression> out = new ArrayList<>();
    for (int i = 0; i < expressions.size(); i++) {
      RexNode replaced =
          expressions
              .get(i)
              .accept(
                  new RexShuttle() {
                    @Override
                    public RexNode visitOver(RexOver over) {
                      return refs.computeIfAbsent(over, WindowPlan.this::result);
                    }
                  });
      Expression e = rex.translate(replaced);
      out.add(Cast.ifNeeded(e, wanted.field(i).type()));
    }
    return out;
  }
}

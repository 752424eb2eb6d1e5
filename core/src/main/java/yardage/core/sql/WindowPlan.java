package yardage.core.sql;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.stream.Collectors;
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
import yardage.core.column.NumberTypes;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.exec.WindowStep;
import yardage.core.exec.WindowStep.Call;
import yardage.core.exec.WindowStep.Frame;
import yardage.core.exec.WindowStep.Function;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
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
              calls.add(call(over));
              if (over.getOperands().size() > 2) {
                thereOf.put(over, calls.size());
                calls.add(there(over));
              }
            }
            return over;
          }
        };
    expressions.forEach(e -> e.accept(collect));
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

  private Call call(RexOver over) {
    if (over.isDistinct()) {
      throw new UnsupportedSqlException(
          "DISTINCT in a window function is not supported; aggregate in a step before, and join");
    }
    RexWindow window = over.getWindow();
    int[] partition = window.partitionKeys.stream().mapToInt(this::place).toArray();
    List<SortKey> order = new ArrayList<>();
    for (RexFieldCollation key : window.orderKeys) {
      order.add(PhysicalPlanner.key(place(key.left), key.getDirection(), key.getNullDirection()));
    }
    Function function = function(over);
    int offset = offset(over, function);
    boolean hasArgument = !over.getOperands().isEmpty() && function != Function.NTILE;
    int argument = hasArgument ? place(over.getOperands().get(0)) : -1;
    Type type =
        switch (function) {
          case ROW_NUMBER, RANK, DENSE_RANK, COUNT -> Type.BIGINT;
          case NTILE -> Type.INT;
          case PERCENT_RANK, CUME_DIST -> Type.DOUBLE;
          case AVG -> NumberTypes.average(below.get(argument).type());
          case SUM -> NumberTypes.sum(below.get(argument).type());
          default -> below.get(argument).type();
        };
    return new Call(
        function, argument, offset, over.ignoreNulls(), partition, order, frame(window), type);
  }

  /**
   * @throws UnsupportedSqlException for a call that cannot be done
   */
  static void check(RexOver over) {
    try {
      offset(over, function(over));
    } catch (UnsupportedSqlException e) {
      throw e.of(over.getAggOperator().getName());
    }
  }

  private static int offset(RexOver over, Function function) {
    List<RexNode> o = over.getOperands();
    return switch (function) {
      case BEFORE -> {
        int rows = o.size() > 1 ? constant(o.get(1)) : 1;
        yield over.getAggOperator().getKind() == SqlKind.LEAD ? -rows : rows;
      }
      case NTH -> positive(constant(o.get(1)), "NTH_VALUE");
      case NTILE -> positive(constant(o.get(0)), "NTILE");
      default -> 0;
    };
  }

  private static int positive(int number, String function) {
    if (number < 1) {
      throw new UnsupportedSqlException(
          "%s counts from 1; it cannot take [%d]".formatted(function, number));
    }
    return number;
  }

  /** The same call over a column that is never null. */
  private Call there(RexOver over) {
    below.add(Literal.of(Type.BOOLEAN, true));
    Call call = calls.get(callOf.get(over));
    return new Call(
        call.function(),
        below.size() - 1,
        call.offset(),
        false,
        call.partition(),
        call.order(),
        call.frame(),
        Type.BOOLEAN);
  }

  private static Function function(RexOver over) {
    return switch (over.getAggOperator().getKind()) {
      case ROW_NUMBER -> Function.ROW_NUMBER;
      case RANK -> Function.RANK;
      case DENSE_RANK -> Function.DENSE_RANK;
      case COUNT -> Function.COUNT;
      case SUM, SUM0 -> Function.SUM;
      case AVG -> Function.AVG;
      case MIN -> Function.MIN;
      case MAX -> Function.MAX;
      case FIRST_VALUE -> Function.FIRST;
      case LAST_VALUE -> Function.LAST;
      case LAG, LEAD -> Function.BEFORE;
      case NTH_VALUE -> Function.NTH;
      case NTILE -> Function.NTILE;
      case PERCENT_RANK -> Function.PERCENT_RANK;
      case CUME_DIST -> Function.CUME_DIST;
      default ->
          throw new UnsupportedSqlException(
              "The window function [%s] is not supported; there are row_number, rank, dense_rank, count, sum, avg, min, max, first_value, last_value, nth_value, ntile, percent_rank, cume_dist, lag and lead"
                  .formatted(over.getAggOperator().getName().toLowerCase(java.util.Locale.ROOT)));
    };
  }

  private Frame frame(RexWindow window) {
    int from = bound(window.getLowerBound());
    int to = bound(window.getUpperBound());
    boolean unboundedOrHere =
        (from == 0 || from == Frame.UNBOUNDED_FROM) && (to == 0 || to == Frame.UNBOUNDED_TO);
    if (!window.isRows() && !unboundedOrHere) {
      throw new UnsupportedSqlException(
          "RANGE with an offset is not supported; use ROWS, or UNBOUNDED and CURRENT ROW");
    }
    return new Frame(!window.isRows(), from, to);
  }

  private int bound(RexWindowBound bound) {
    if (bound.isCurrentRow()) {
      return 0;
    }
    if (bound.isUnbounded()) {
      return bound.isPreceding() ? Frame.UNBOUNDED_FROM : Frame.UNBOUNDED_TO;
    }
    int rows = constant(bound.getOffset());
    return bound.isPreceding() ? -rows : rows;
  }

  private static int constant(RexNode node) {
    if (node instanceof RexLiteral literal && literal.getValueAs(BigDecimal.class) != null) {
      return literal.getValueAs(BigDecimal.class).intValueExact();
    }
    throw new UnsupportedSqlException("Write the number of rows in a window as a constant");
  }

  private record Alike(Set<Integer> partition, boolean totals) {}

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
    // Those with the same partitions go together: such rows can be taken apart by them.
    Map<Alike, List<Integer>> alike = new LinkedHashMap<>();
    for (int i = 0; i < calls.size(); i++) {
      Set<Integer> partition =
          Arrays.stream(calls.get(i).partition()).boxed().collect(Collectors.toSet());
      alike
          .computeIfAbsent(new Alike(partition, calls.get(i).isTotal()), a -> new ArrayList<>())
          .add(i);
    }
    PlanNode out = wide;
    for (List<Integer> some : alike.values()) {
      for (int i : some) {
        resultOf.put(i, fields.size());
        fields.add(new Schema.Field("w" + i, calls.get(i).type()));
      }
      WindowStep windows = new WindowStep(some.stream().map(calls::get).toList());
      out = new PlanNode.Whole(out, windows, "rows in windows", new Schema(fields), step);
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
    RexNode there = new RexInputRef(resultOf.get(thereOf.get(over)), truth);
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

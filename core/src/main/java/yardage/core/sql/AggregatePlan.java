package yardage.core.sql;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.calcite.rel.RelFieldCollation;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Aggregate;
import org.apache.calcite.rel.core.AggregateCall;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.sql.SqlAggFunction;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.util.ImmutableBitSet;
import yardage.core.column.*;
import yardage.core.expr.CaseWhen;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
import yardage.core.expr.Logic;
import yardage.core.plan.AggregateFunction;
import yardage.core.plan.PlanNode;
import yardage.core.plan.SortKey;

/** Aggregates of the algebra as physical ones: what is grouped by, and each call. */
final class AggregatePlan {
  private final RexTranslator rex;

  AggregatePlan(RexTranslator rex) {
    this.rex = rex;
  }

  /**
   * @param level the columns to group by, of those that the aggregate groups by; the others come
   *     out as nulls
   */
  PlanNode of(Aggregate aggregate, PlanNode input, ImmutableBitSet level, String step) {
    Schema schema = SqlTypes.schema(aggregate.getRowType());
    int keyCount = level.cardinality();
    int groupCount = aggregate.getGroupCount();
    List<yardage.core.plan.AggregateCall> calls = new ArrayList<>();
    List<Schema.Field> raw = new ArrayList<>();
    List<Expression> out = new ArrayList<>();
    int ordinalOfKey = 0;
    for (int k : aggregate.getGroupSet()) {
      Type type = schema.field(ordinalOfKey).type();
      if (level.get(k)) {
        out.add(Expression.input(raw.size(), type));
        raw.add(schema.field(ordinalOfKey));
      } else {
        out.add(Literal.of(type, null));
      }
      ordinalOfKey++;
    }
    for (int i = 0; i < aggregate.getAggCallList().size(); i++) {
      AggregateCall call = aggregate.getAggCallList().get(i);
      if (call.getAggregation().getKind() == SqlKind.LITERAL_AGG) {
        // A mark that a group is there, the same for each.
        out.add(rex.translate(call.rexList.get(0)));
        continue;
      }
      if (call.getAggregation().getKind() == SqlKind.GROUPING) {
        out.add(Literal.of(Type.BIGINT, grouping(call, level)));
        continue;
      }
      int ordinal = raw.size();
      Type wanted = schema.field(groupCount + i).type();
      var physical = physical(call, aggregate.getInput(), input.schema());
      Type type = physical.type();
      calls.add(physical);
      raw.add(new Schema.Field(schema.field(groupCount + i).name(), type));
      Expression result = Cast.ifNeeded(Expression.input(ordinal, type), wanted);
      if (call.getAggregation().getKind() == SqlKind.SUM0) {
        Expression isNull = new Logic.IsNull(Expression.input(ordinal, type), false);
        result = new CaseWhen(List.of(isNull), List.of(Literal.zero(wanted)), result, wanted);
      }
      out.add(result);
    }
    PlanNode node = new PlanNode.Aggregate(input, level.toArray(), calls, new Schema(raw), step);
    boolean plain =
        keyCount == groupCount
            && raw.size() == out.size()
            && out.stream().allMatch(e -> e instanceof Expression.Input);
    return plain ? node : new PlanNode.Project(node, out, schema);
  }

  /**
   * @param from what is aggregated, in the algebra
   * @param input its columns
   */
  private static yardage.core.plan.AggregateCall physical(
      AggregateCall call, RelNode from, Schema input) {
    AggregateFunction function = function(call);
    refuseWrong(call, function);
    List<RelFieldCollation> order = call.getCollation().getFieldCollations();
    boolean isOrdered = isOrdered(call);
    int argument =
        isOrdered
            ? order.get(0).getFieldIndex()
            : call.getArgList().isEmpty() ? -1 : call.getArgList().get(0);
    List<SortKey> keys =
        function == AggregateFunction.PERCENTILE
            ? List.of()
            : function.isOfPairs()
                ? List.of(SortKey.of(call.getArgList().get(1), false))
                : PhysicalPlanner.keys(order);
    return new yardage.core.plan.AggregateCall(
        function,
        argument,
        call.isDistinct(),
        call.filterArg,
        resultType(function, argument < 0 ? Type.BIGINT : input.field(argument).type()),
        keys,
        takesConstant(function) ? parameter(call, function, from) : "");
  }

  /** Whether the argument stands behind the call, in WITHIN GROUP. */
  private static boolean isOrdered(AggregateCall call) {
    return call.getAggregation().getKind() == SqlKind.PERCENTILE_CONT
        || call.getAggregation().getKind() == SqlKind.PERCENTILE_DISC;
  }

  /** Whether a constant stands behind the argument, or before it in WITHIN GROUP. */
  static boolean takesConstant(AggregateFunction function) {
    return function == AggregateFunction.JOINED
        || function == AggregateFunction.PERCENTILE
        || function == AggregateFunction.PERCENTILE_DISC;
  }

  static void refusePairs(AggregateFunction function, boolean distinct) {
    if (function.isOfPairs() && distinct) {
      throw new UnsupportedSqlException(
          "%s is of pairs, and takes no DISTINCT; select the distinct pairs in a subquery first"
              .formatted(function));
    }
  }

  private static void refuseWrong(AggregateCall call, AggregateFunction function) {
    refusePairs(function, call.isDistinct());
    if (call.getArgList().size() > (takesConstant(function) || function.isOfPairs() ? 2 : 1)) {
      throw new UnsupportedSqlException(
          "The aggregate [%s] over several columns is not supported"
              .formatted(call.getAggregation().getName()));
    }
  }

  private static String parameter(AggregateCall call, AggregateFunction function, RelNode from) {
    int at = isOrdered(call) ? 0 : 1;
    String parameter =
        call.getArgList().size() <= at ? "" : constant(from, call.getArgList().get(at), call);
    if (function == AggregateFunction.PERCENTILE
        && isOrdered(call)
        && call.getCollation().getFieldCollations().get(0).direction.isDescending()) {
      parameter = BigDecimal.ONE.subtract(new BigDecimal(parameter)).toPlainString();
    }
    return checked(function, parameter);
  }

  /** A constant that a function can take. */
  static String checked(AggregateFunction function, String parameter) {
    if (function != AggregateFunction.JOINED
        && !parameter.matches("0(\\.\\d+)?|1(\\.0+)?|\\.\\d+")) {
      throw new UnsupportedSqlException(
          "PERCENTILE wants a share between 0 and 1, as in PERCENTILE(metres, 0.9), not [%s]"
              .formatted(parameter));
    }
    return parameter;
  }

  /** A bit for each argument, the last one's lowest: set where the level does not group by it. */
  private static long grouping(AggregateCall call, ImmutableBitSet level) {
    long out = 0;
    for (int column : call.getArgList()) {
      out = out << 1 | (level.get(column) ? 0 : 1);
    }
    return out;
  }

  static Type resultType(AggregateFunction function, Type argument) {
    return switch (function.family()) {
      case COUNT -> Type.BIGINT;
      case AVG -> NumberTypes.average(argument);
      case SUM -> NumberTypes.sum(argument);
      case MOMENTS, PAIRS, PERCENTILE -> Type.DOUBLE;
      case JOINED -> Type.VARCHAR;
      case LIST -> Type.list(argument);
      case EXTREME, SINGLE, FOREMOST, COMMONEST, RANKED -> argument;
    };
  }

  private static AggregateFunction function(AggregateCall call) {
    return function(call.getAggregation())
        .orElseThrow(
            () ->
                new UnsupportedSqlException(
                    "The aggregate function [%s] is not supported; there are count, sum, min, max, avg, stddev_pop, stddev_samp, var_pop, var_samp, covar_pop, covar_samp, corr, regr_slope, regr_intercept, regr_r2, mode, percentile, percentile_cont, percentile_disc, first_of, last_of, list_of and listagg"
                        .formatted(
                            call.getAggregation().getName().toLowerCase(java.util.Locale.ROOT))));
  }

  /** Ours for one of the library's; empty without one. */
  static Optional<AggregateFunction> function(SqlAggFunction of) {
    if (of.getName().equals(NestedFunctions.PERCENTILE)) {
      return Optional.of(AggregateFunction.PERCENTILE);
    }
    for (AggregateFunction f : AggregateFunction.values()) {
      if (f.isOfPairs() && f.name().equals(of.getName())) {
        return Optional.of(f);
      }
    }
    return Optional.ofNullable(
        switch (of.getKind()) {
          case COUNT -> AggregateFunction.COUNT;
          case SUM, SUM0 -> AggregateFunction.SUM;
          case MIN, ANY_VALUE -> AggregateFunction.MIN;
          case MAX -> AggregateFunction.MAX;
          case AVG -> AggregateFunction.AVG;
          case SINGLE_VALUE -> AggregateFunction.SINGLE_VALUE;
          case VAR_POP -> AggregateFunction.VAR_POP;
          case VAR_SAMP -> AggregateFunction.VAR_SAMP;
          case STDDEV_POP -> AggregateFunction.STDDEV_POP;
          case STDDEV_SAMP -> AggregateFunction.STDDEV_SAMP;
          case MODE -> AggregateFunction.MODE;
          case PERCENTILE_CONT -> AggregateFunction.PERCENTILE;
          case PERCENTILE_DISC -> AggregateFunction.PERCENTILE_DISC;
          case LISTAGG -> AggregateFunction.JOINED;
          case FIRST_VALUE -> AggregateFunction.FIRST;
          case LAST_VALUE -> AggregateFunction.LAST;
          case ARRAY_AGG -> AggregateFunction.LIST;
          default -> null;
        });
  }

  /** The constant that an aggregate's second argument must be; the input computes it. */
  private static String constant(RelNode input, int ordinal, AggregateCall call) {
    if (input instanceof Project p
        && p.getProjects().get(ordinal) instanceof RexLiteral literal
        && !literal.isNull()) {
      return text(literal);
    }
    throw new UnsupportedSqlException(
        "Write the second argument of %s as a constant".formatted(call.getAggregation().getName()));
  }

  /** A constant text or number, as a call has it. */
  static String text(RexLiteral literal) {
    return literal.getValue2() instanceof String text
        ? text
        : literal.getValueAs(BigDecimal.class).toPlainString();
  }
}

package yardage.core.sql;

import com.google.common.collect.BoundType;
import com.google.common.collect.Range;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexUnknownAs;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.util.Sarg;
import yardage.core.column.Type;
import yardage.core.expr.Literal;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.ColumnPredicate.Op;

/** What the parts of a filter say of one column each, such that files can be skipped by it. */
final class ScanPredicates {
  /** Of more values hardly anything can be skipped that is not skipped by their range. */
  private static final int MOST_VALUES = 1_000;

  private final RexBuilder rexBuilder;
  private final List<String> columns;

  /**
   * @param columns the names of those that the filter looks at
   */
  ScanPredicates(RexBuilder rexBuilder, List<String> columns) {
    this.rexBuilder = rexBuilder;
    this.columns = columns;
  }

  List<ColumnPredicate> of(RexNode condition) {
    List<ColumnPredicate> out = new ArrayList<>();
    for (RexNode part : RelOptUtil.conjunctions(condition)) {
      if (part instanceof RexCall call) {
        add(call, out);
      }
    }
    return out;
  }

  private void add(RexCall call, List<ColumnPredicate> out) {
    List<RexNode> operands = call.getOperands();
    RexNode first = operands.get(0);
    RexNode second = operands.size() > 1 ? operands.get(1) : first;
    switch (call.getKind()) {
      case EQUALS, LESS_THAN, LESS_THAN_OR_EQUAL, GREATER_THAN, GREATER_THAN_OR_EQUAL -> {
        boolean flipped = first instanceof RexLiteral;
        Op op = op(flipped ? call.getKind().reverse() : call.getKind());
        compared(flipped ? second : first, op, flipped ? first : second).ifPresent(out::add);
      }
      case IS_NULL, IS_NOT_NULL -> {
        if (first instanceof RexInputRef ref) {
          out.add(new ColumnPredicate.Null(name(ref), call.getKind() == SqlKind.IS_NULL));
        }
      }
      case LIKE -> beginning(call).ifPresent(out::add);
      case SEARCH -> {
        if (first instanceof RexInputRef ref && second instanceof RexLiteral sought) {
          searched(ref, sought, out);
        }
      }
      case OR -> oneOf(operands).ifPresent(out::add);
      default -> {
        // Says nothing of one column's values.
      }
    }
  }

  private String name(RexInputRef ref) {
    return columns.get(ref.getIndex());
  }

  private static Op op(SqlKind kind) {
    return switch (kind) {
      case EQUALS -> Op.EQ;
      case LESS_THAN -> Op.LT;
      case LESS_THAN_OR_EQUAL -> Op.LE;
      case GREATER_THAN -> Op.GT;
      case GREATER_THAN_OR_EQUAL -> Op.GE;
      default -> throw new IllegalStateException("No comparison: " + kind);
    };
  }

  private Optional<ColumnPredicate> compared(RexNode column, Op op, RexNode with) {
    return column instanceof RexInputRef ref && with instanceof RexLiteral literal
        ? value(ref, literal).map(v -> new ColumnPredicate.Compared(name(ref), op, v))
        : Optional.empty();
  }

  /** A constant as the column has it; empty for one that the column's type cannot hold. */
  private static Optional<Literal> value(RexInputRef ref, RexLiteral literal) {
    Type type = SqlTypes.fromSql(ref.getType());
    boolean ordered = type.kind() != Type.Kind.BOOLEAN && type.kind() != Type.Kind.BINARY;
    if (literal.isNull() || !ordered || type.isNested()) {
      return Optional.empty();
    }
    try {
      if (type.kind() == Type.Kind.DECIMAL) {
        BigDecimal exact = literal.getValueAs(BigDecimal.class).setScale(type.scale());
        return Optional.of(Literal.decimal(type, exact));
      }
      Literal value = RexTranslator.literal(literal, type);
      // A number between two floats is compared as a double, by the filter alone.
      boolean exact =
          type.kind() != Type.Kind.FLOAT
              || value.value().orElseThrow().equals(literal.getValueAs(Double.class));
      return exact ? Optional.of(value) : Optional.empty();
    } catch (RuntimeException e) {
      // Such as 1.5 for an int: the filter decides alone.
      return Optional.empty();
    }
  }

  private Optional<ColumnPredicate> beginning(RexCall like) {
    List<RexNode> operands = like.getOperands();
    boolean plain =
        operands.size() == 2
            && like.getOperator().getName().equals("LIKE")
            && operands.get(0) instanceof RexInputRef
            && operands.get(1) instanceof RexLiteral;
    if (!plain) {
      return Optional.empty();
    }
    RexInputRef ref = (RexInputRef) operands.get(0);
    return value(ref, (RexLiteral) operands.get(1))
        .map(pattern -> ((String) pattern.value().orElseThrow()).split("[%_]", 2)[0])
        .filter(beginning -> !beginning.isEmpty())
        .map(
            beginning ->
                new ColumnPredicate.Beginning(name(ref), Literal.of(Type.VARCHAR, beginning)));
  }

  /** Ranges and lists of values, as the planner puts them together. */
  private <C extends Comparable<C>> void searched(
      RexInputRef ref, RexLiteral literal, List<ColumnPredicate> out) {
    @SuppressWarnings("unchecked")
    Sarg<C> sarg = literal.getValueAs(Sarg.class);
    if (sarg.nullAs == RexUnknownAs.TRUE || sarg.rangeSet.isEmpty()) {
      return;
    }
    if (sarg.isPoints() && sarg.pointCount <= MOST_VALUES) {
      List<Literal> values = new ArrayList<>();
      for (Range<C> point : sarg.rangeSet.asRanges()) {
        constant(ref, literal, point.lowerEndpoint()).ifPresent(values::add);
      }
      // One that the column cannot hold is none of its values, but is not known to be.
      if (values.size() == sarg.pointCount) {
        out.add(new ColumnPredicate.OneOf(name(ref), values));
      }
      return;
    }
    Range<C> span = sarg.rangeSet.span();
    if (span.hasLowerBound()) {
      boolean closed = span.lowerBoundType() == BoundType.CLOSED;
      constant(ref, literal, span.lowerEndpoint())
          .ifPresent(v -> out.add(compared(ref, closed ? Op.GE : Op.GT, v)));
    }
    if (span.hasUpperBound()) {
      boolean closed = span.upperBoundType() == BoundType.CLOSED;
      constant(ref, literal, span.upperEndpoint())
          .ifPresent(v -> out.add(compared(ref, closed ? Op.LE : Op.LT, v)));
    }
  }

  private ColumnPredicate compared(RexInputRef ref, Op op, Literal value) {
    return new ColumnPredicate.Compared(name(ref), op, value);
  }

  private Optional<Literal> constant(RexInputRef ref, RexLiteral of, Comparable<?> value) {
    return rexBuilder.makeLiteral(value, of.getType(), true, true) instanceof RexLiteral literal
        ? value(ref, literal)
        : Optional.empty();
  }

  /** Equalities of one column with constants, of which one has to hold. */
  private Optional<ColumnPredicate> oneOf(List<RexNode> parts) {
    if (parts.size() > MOST_VALUES) {
      return Optional.empty();
    }
    String column = "";
    List<Literal> values = new ArrayList<>();
    for (RexNode part : parts) {
      List<ColumnPredicate> said = of(part);
      if (said.size() != 1
          || !(said.get(0) instanceof ColumnPredicate.Compared equal)
          || equal.op() != Op.EQ
          || !column.isEmpty() && !column.equals(equal.column())) {
        return Optional.empty();
      }
      column = equal.column();
      values.add(equal.value());
    }
    return Optional.of(new ColumnPredicate.OneOf(column, values));
  }
}

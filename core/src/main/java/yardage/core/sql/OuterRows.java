package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.plan.Strong;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.RelShuttle;
import org.apache.calcite.rel.core.CorrelationId;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.JoinRelType;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.logical.LogicalAggregate;
import org.apache.calcite.rel.logical.LogicalFilter;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexShuttle;
import org.apache.calcite.rex.RexSubQuery;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.sql.SqlFunction;
import org.apache.calcite.sql.SqlFunctionCategory;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.fun.SqlQuantifyOperator;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.type.OperandTypes;
import org.apache.calcite.sql.type.ReturnTypes;
import org.apache.calcite.sql.type.SqlTypeName;
import org.apache.calcite.tools.RelBuilder;
import org.apache.calcite.util.ImmutableBitSet;

/** Rows that subqueries are asked about; they are on the builder, and get columns. */
final class OuterRows {
  /** Gives its first operand, and fails where its second is more than one. */
  static final SqlFunction ONE_VALUE =
      new SqlFunction(
          "ONE_VALUE",
          SqlKind.OTHER_FUNCTION,
          ReturnTypes.ARG0_FORCE_NULLABLE,
          null,
          OperandTypes.ANY_ANY,
          SqlFunctionCategory.SYSTEM);

  private final RelShuttle subqueries;
  private final RelBuilder builder;
  private final RelNode input;
  private final OuterColumns columns;
  private final int width;

  /**
   * @param subqueries for the subqueries inside those that are asked
   * @param input what gives the rows; to be on the builder when they are asked about
   * @param columns by which subqueries name them
   */
  OuterRows(RelShuttle subqueries, RelBuilder builder, RelNode input, OuterColumns columns) {
    this.subqueries = subqueries;
    this.builder = builder;
    this.input = input;
    this.columns = columns;
    this.width = input.getRowType().getFieldCount();
  }

  /** The rows without the columns that were added. */
  RelNode back() {
    return builder
        .project(builder.fields().subList(0, width), input.getRowType().getFieldNames())
        .convert(input.getRowType(), true)
        .build();
  }

  /** An expression with columns in the place of its subqueries. */
  RexNode replaced(RexNode expression) {
    return expression.accept(
        new RexShuttle() {
          @Override
          public RexNode visitSubQuery(RexSubQuery query) {
            List<RexNode> operands =
                query.getOperands().stream().map(OuterRows.this::replaced).toList();
            RexNode value = value(query, operands);
            return builder.getRexBuilder().ensureType(query.getType(), value, true);
          }
        });
  }

  private RexNode value(RexSubQuery query, List<RexNode> operands) {
    return switch (query.getKind()) {
      case EXISTS -> exists(asked(query));
      case IN -> in(query, operands);
      case SCALAR_QUERY -> scalar(query);
      case SOME -> some(query, operands);
      default ->
          throw new UnsupportedSqlException(
              "A subquery after %s is not supported".formatted(query.getKind()));
    };
  }

  /**
   * Keeps the rows that a condition asks for, where it is one subquery that no null can make
   * unknown; says whether it did.
   */
  boolean keptBy(RexNode condition) {
    boolean not = condition.getKind() == SqlKind.NOT;
    RexNode inside = not ? ((RexCall) condition).getOperands().get(0) : condition;
    if (!(inside instanceof RexSubQuery query)
        || query.getOperands().stream().anyMatch(Subqueries::has)) {
      return false;
    }
    boolean in = query.getKind() == SqlKind.IN;
    if (query.getKind() != SqlKind.EXISTS && !in || not && in && mayBeNull(query)) {
      return false;
    }
    RelNode rel = query.rel.accept(subqueries);
    Optional<Direct> direct = direct(rel, in);
    if (direct.isPresent()) {
      kept(direct.get(), in ? query.getOperands() : List.of(), not);
      return true;
    }
    Asked asked = asked(rel);
    if (asked.unnesting().fields().isEmpty() && !in) {
      builder.push(asked.rel()).aggregate(builder.groupKey(), builder.countStar("rows"));
      RexNode count = builder.field(0);
      builder.filter(not ? builder.not(isSome(count)) : isSome(count));
      builder.join(JoinRelType.INNER, builder.literal(true));
      return true;
    }
    int before = width();
    List<RexNode> looked = columns(query.getOperands());
    builder.push(asked.rel());
    List<RexNode> all = new ArrayList<>();
    all.add(asked.unnesting().linked(asked.width(), asked.present()));
    for (int i = 0; in && i < looked.size(); i++) {
      RexInputRef ref = (RexInputRef) looked.get(i);
      all.add(builder.equals(builder.field(2, 0, ref.getIndex()), builder.field(2, 1, i)));
    }
    builder.join(
        not ? JoinRelType.ANTI : JoinRelType.SEMI,
        RexUtil.composeConjunction(builder.getRexBuilder(), all));
    builder.project(builder.fields().subList(0, before));
    return true;
  }

  /**
   * A subquery whose own filters alone name the outer columns: they are the condition of a join.
   *
   * @param values what it selects, over the columns of the input
   */
  private record Direct(RelNode input, List<RexNode> conditions, List<RexNode> values) {}

  private Optional<Direct> direct(RelNode rel, boolean in) {
    List<RexNode> conditions = new ArrayList<>();
    List<RexNode> values = new ArrayList<>();
    for (int i = 0; i < rel.getRowType().getFieldCount(); i++) {
      values.add(RexInputRef.of(i, rel.getRowType()));
    }
    RelNode at = rel;
    while (at instanceof Filter || at instanceof Project p && !p.containsOver()) {
      if (at instanceof Filter filter) {
        conditions.addAll(RelOptUtil.conjunctions(filter.getCondition()));
      } else {
        conditions = new ArrayList<>(RelOptUtil.pushPastProject(conditions, (Project) at));
        values = RelOptUtil.pushPastProject(values, (Project) at);
      }
      at = at.getInput(0);
    }
    List<RexNode> between = conditions.stream().filter(c -> !isInner(c)).toList();
    if (between.isEmpty() && !in || columns.areNamedIn(at)) {
      return Optional.empty();
    }
    RelNode kept =
        builder.push(at).filter(conditions.stream().filter(this::isInner).toList()).build();
    return values.stream().allMatch(this::isInner)
        ? Optional.of(new Direct(kept, between, values))
        : Optional.empty();
  }

  /** Joins the rows to a subquery on its conditions, and keeps those that find something. */
  private void kept(Direct direct, List<RexNode> operands, boolean not) {
    int before = width();
    List<RexNode> outer = new ArrayList<>(builder.fields());
    builder.push(direct.input());
    List<RexNode> inner = new ArrayList<>(builder.fields());
    builder.build();
    List<RexNode[]> keys = new ArrayList<>();
    for (int i = 0; i < operands.size(); i++) {
      keys.add(new RexNode[] {operands.get(i), direct.values().get(i)});
    }
    List<RexNode> rest = new ArrayList<>();
    for (RexNode c : direct.conditions()) {
      Optional<RexNode[]> key = key(c);
      key.ifPresentOrElse(keys::add, () -> rest.add(c));
    }
    List<int[]> pairs = new ArrayList<>();
    for (RexNode[] key : keys) {
      pairs.add(new int[] {column(key[0], outer), column(key[1], inner)});
    }
    if (outer.size() > before) {
      builder.project(outer, List.of(), true);
    }
    builder.push(direct.input()).project(inner);
    List<RexNode> all = new ArrayList<>();
    for (int[] key : pairs) {
      all.add(builder.equals(builder.field(2, 0, key[0]), builder.field(2, 1, key[1])));
    }
    rest.forEach(c -> all.add(overBoth(c)));
    builder.join(
        not ? JoinRelType.ANTI : JoinRelType.SEMI,
        RexUtil.composeConjunction(builder.getRexBuilder(), all));
    builder.project(builder.fields().subList(0, before));
  }

  /** The two sides of an equality of an outer expression and an inner one; the outer one first. */
  private Optional<RexNode[]> key(RexNode condition) {
    if (condition.getKind() != SqlKind.EQUALS) {
      return Optional.empty();
    }
    RexNode a = ((RexCall) condition).getOperands().get(0);
    RexNode b = ((RexCall) condition).getOperands().get(1);
    RexNode outer = isOuter(a) ? a : b;
    RexNode inner = outer == a ? b : a;
    return isOuter(outer) && isInner(inner)
        ? Optional.of(new RexNode[] {overOuter(outer), inner})
        : Optional.empty();
  }

  /** The place of an expression among columns, since joins compare columns. */
  private static int column(RexNode expression, List<RexNode> columns) {
    int at = columns.indexOf(expression);
    if (at < 0) {
      at = columns.size();
      columns.add(expression);
    }
    return at;
  }

  /** Whether an expression names outer columns, and no others. */
  private boolean isOuter(RexNode e) {
    return RelOptUtil.InputFinder.bits(e).isEmpty() && !isInner(e);
  }

  /** Whether an expression names no outer columns. */
  private boolean isInner(RexNode e) {
    return !columns.areNamedIn(e);
  }

  private RexNode overOuter(RexNode e) {
    return columns.replaced(e, a -> builder.field(a.getField().getIndex()));
  }

  /** A condition over the columns of the rows and, behind them, of the input on the builder. */
  private RexNode overBoth(RexNode condition) {
    int left = builder.peek(1).getRowType().getFieldCount();
    return columns.replaced(
        RexUtil.shift(condition, left), a -> builder.field(2, 0, a.getField().getIndex()));
  }

  private boolean mayBeNull(RexSubQuery query) {
    return query.getOperands().stream().anyMatch(o -> o.getType().isNullable())
        || query.rel.getRowType().getFieldList().stream().anyMatch(f -> f.getType().isNullable());
  }

  /** Expressions as columns of the rows, which joins compare. */
  private List<RexNode> columns(List<RexNode> expressions) {
    if (expressions.stream().allMatch(e -> e instanceof RexInputRef)) {
      return expressions;
    }
    List<RexNode> all = new ArrayList<>(builder.fields());
    int from = all.size();
    all.addAll(expressions);
    builder.project(all, List.of(), true);
    return builder.fields().subList(from, from + expressions.size());
  }

  /**
   * A subquery for all rows at once.
   *
   * @param width its own columns; those of the domain follow
   * @param present whether these are never null
   */
  private record Asked(RelNode rel, int width, boolean present, Unnesting unnesting) {}

  private Asked asked(RexSubQuery query) {
    return asked(query.rel.accept(subqueries));
  }

  private Asked asked(RelNode rel) {
    Unnesting unnesting = new Unnesting(builder, input, columns, rel);
    int width = rel.getRowType().getFieldCount();
    if (unnesting.fields().isEmpty()) {
      return new Asked(rel, width, true, unnesting);
    }
    Unnesting.Unnested of = unnesting.unnest(rel);
    return new Asked(of.rel(), width, of.present(), unnesting);
  }

  /** Joins what is known of each domain; rows without any get nulls. */
  private void joinByDomain(RelNode known, Unnesting unnesting, int domainAt, boolean present) {
    builder.push(known);
    boolean one = unnesting.fields().isEmpty();
    builder.join(
        one ? JoinRelType.INNER : JoinRelType.LEFT,
        one ? builder.literal(true) : unnesting.linked(domainAt, present));
  }

  private List<RexNode> domainOf(Asked asked) {
    return builder
        .fields()
        .subList(asked.width(), asked.width() + asked.unnesting().fields().size());
  }

  /** Whether a subquery has rows. */
  private RexNode exists(Asked asked) {
    int before = width();
    builder.push(asked.rel());
    builder.aggregate(builder.groupKey(domainOf(asked)), builder.countStar("rows"));
    RelNode known = builder.build();
    joinByDomain(known, asked.unnesting(), 0, asked.present());
    int domain = asked.unnesting().fields().size();
    RexNode count = builder.field(before + domain);
    return domain == 0 ? isSome(count) : builder.isNotNull(count);
  }

  private RexNode unknown() {
    return builder
        .getRexBuilder()
        .makeNullLiteral(builder.getTypeFactory().createSqlType(SqlTypeName.BOOLEAN));
  }

  private RexNode isSome(RexNode count) {
    return builder.greaterThan(count, builder.literal(0));
  }

  private int width() {
    return builder.peek().getRowType().getFieldCount();
  }

  private RexNode scalar(RexSubQuery query) {
    RelNode rel = query.rel.accept(subqueries);
    Unnesting unnesting = new Unnesting(builder, input, columns, rel);
    int before = width();
    Optional<Whole> whole = Whole.of(rel);
    if (unnesting.fields().isEmpty()) {
      builder.push(rel);
      if (whole.isEmpty() || whole.get().filters()) {
        single(List.of());
      }
      RelNode one = builder.build();
      joinByDomain(one, unnesting, 1, true);
      return builder.field(before);
    }
    if (whole.isPresent() && !whole.get().filters()) {
      // A row that finds nothing takes the value of no rows, so that the domain is not needed.
      Unnesting.Unnested of = whole.get().unnested(unnesting);
      // A row that found something has its domain beside it, unless that may be null.
      int mark = of.present() ? 1 : 1 + unnesting.fields().size();
      builder.push(of.rel());
      if (!of.present()) {
        List<RexNode> columns = new ArrayList<>(builder.fields());
        columns.add(builder.literal(1));
        builder.project(columns, List.of(), true);
      }
      RelNode known = builder.build();
      joinByDomain(known, unnesting, 1, of.present());
      RexNode nothing = nothing(whole.get());
      if (Strong.isNull(nothing, ImmutableBitSet.of())) {
        // As the join gives it anyway.
        return builder.field(before);
      }
      RexNode found = builder.isNotNull(builder.field(before + mark));
      return builder.call(SqlStdOperatorTable.CASE, found, builder.field(before), nothing);
    }
    return oneOfEach(unnesting, rel, before);
  }

  /** The one value for each row; an error where a row has several. */
  private RexNode oneOfEach(Unnesting unnesting, RelNode rel, int before) {
    int domain = unnesting.fields().size();
    boolean nested = SqlTypes.schema(rel.getRowType()).field(0).type().isNested();
    // Nested values have no least: they are held against the rows before they are looked at.
    Unnesting.Unnested of =
        nested ? unnesting.ofOuterRows(unnesting.unnest(rel)) : unnesting.unnest(rel);
    builder.push(of.rel());
    List<RexNode> by = builder.fields().subList(1, 1 + domain);
    if (nested) {
      single(by);
    } else {
      builder.aggregate(
          builder.groupKey(by), builder.min("value", builder.field(0)), builder.countStar("rows"));
    }
    RelNode known = builder.build();
    joinByDomain(known, unnesting, 0, of.present());
    RexNode value = builder.field(before + domain);
    return nested ? value : builder.call(ONE_VALUE, value, builder.field(before + domain + 1));
  }

  /** The one value of each domain; an error where there are several. */
  private void single(List<RexNode> domain) {
    builder.aggregate(
        builder.groupKey(domain),
        builder.aggregateCall(SqlStdOperatorTable.SINGLE_VALUE, builder.field(0)).as("value"));
  }

  /** What an aggregate over no rows gives, for the outer row itself. */
  private RexNode nothing(Whole whole) {
    return overOuter(whole.ofNothing(builder.getRexBuilder()));
  }

  private RexNode in(RexSubQuery query, List<RexNode> operands) {
    boolean nulls = mayBeNull(query);
    if (nulls && operands.size() > 1) {
      return rowIn(query, operands);
    }
    Asked asked = asked(query);
    int domain = asked.unnesting().fields().size();
    List<RexNode> looked = columns(operands);
    RexNode x = looked.get(0);
    RexNode count = null;
    RexNode known = null;
    if (nulls) {
      int before = width();
      builder.push(asked.rel());
      builder.aggregate(
          builder.groupKey(domainOf(asked)),
          builder.countStar("rows"),
          builder.count(false, "known", builder.field(0)));
      RelNode counts = builder.build();
      joinByDomain(counts, asked.unnesting(), 0, asked.present());
      count = builder.field(before + domain);
      known = builder.field(before + domain + 1);
    }
    RexNode found = found(asked, looked);
    if (!nulls) {
      return found;
    }
    RexNode no = builder.literal(false);
    return builder.call(
        SqlStdOperatorTable.CASE,
        builder.or(builder.isNull(count), builder.equals(count, builder.literal(0))),
        no,
        found,
        builder.literal(true),
        builder.isNull(x),
        unknown(),
        builder.lessThan(known, count),
        unknown(),
        no);
  }

  /** Whether a value is among those of the subquery that are not null. */
  private RexNode found(Asked asked, List<RexNode> looked) {
    int domain = asked.unnesting().fields().size();
    int before = width();
    builder.push(asked.rel());
    builder.filter(
        builder.fields().subList(0, asked.width()).stream().map(builder::isNotNull).toList());
    List<RexNode> keys = new ArrayList<>(builder.fields().subList(0, asked.width()));
    keys.addAll(domainOf(asked));
    builder.project(keys, List.of(), true);
    builder.push(
        LogicalAggregate.create(
            builder.build(), List.of(), ImmutableBitSet.range(keys.size()), null, List.of()));
    List<RexNode> all = new ArrayList<>();
    all.add(asked.unnesting().linked(asked.width(), asked.present()));
    for (int i = 0; i < asked.width(); i++) {
      int column = ((RexInputRef) looked.get(i)).getIndex();
      all.add(builder.equals(builder.field(2, 0, column), builder.field(2, 1, i)));
    }
    builder.join(JoinRelType.LEFT, RexUtil.composeConjunction(builder.getRexBuilder(), all));
    return builder.isNotNull(builder.field(before));
  }

  /** A row of several values: it is there, or might be if nulls were known, or is not. */
  private RexNode rowIn(RexSubQuery query, List<RexNode> operands) {
    CorrelationId id = builder.getCluster().createCorrel();
    // The columns of the rows of before are the first ones of those of now.
    OuterRows now = new OuterRows(subqueries, builder, builder.peek(), columns.and(id));
    RexNode row = builder.getRexBuilder().makeCorrel(now.input.getRowType(), id);
    List<RexNode> sure = new ArrayList<>();
    List<RexNode> maybe = new ArrayList<>();
    for (int i = 0; i < operands.size(); i++) {
      RexNode x =
          operands
              .get(i)
              .accept(
                  new RexShuttle() {
                    @Override
                    public RexNode visitInputRef(RexInputRef ref) {
                      return builder.getRexBuilder().makeFieldAccess(row, ref.getIndex());
                    }
                  });
      RexNode y = RexInputRef.of(i, query.rel.getRowType());
      RexNode equal = builder.getRexBuilder().makeCall(SqlStdOperatorTable.EQUALS, x, y);
      sure.add(equal);
      maybe.add(builder.or(equal, builder.isNull(x), builder.isNull(y)));
    }
    RexNode found = now.exists(query, sure);
    RexNode possible = now.exists(query, maybe);
    return builder.call(
        SqlStdOperatorTable.CASE,
        found,
        builder.literal(true),
        possible,
        unknown(),
        builder.literal(false));
  }

  private RexNode exists(RexSubQuery query, List<RexNode> conditions) {
    RelNode rel =
        LogicalFilter.create(
            query.rel, RexUtil.composeConjunction(builder.getRexBuilder(), conditions));
    return exists(asked(RexSubQuery.exists(rel)));
  }

  /** {@code x < SOME (…)}: held against the largest value, or the smallest. */
  private RexNode some(RexSubQuery query, List<RexNode> operands) {
    if (operands.size() > 1) {
      throw new UnsupportedSqlException("SOME, ANY and ALL compare one value");
    }
    SqlKind comparison = ((SqlQuantifyOperator) query.op).comparisonKind;
    if (comparison == SqlKind.EQUALS) {
      return in(query, operands);
    }
    Asked asked = asked(query);
    int domain = asked.unnesting().fields().size();
    RexNode x = columns(operands).get(0);
    int before = width();
    builder.push(asked.rel());
    builder.aggregate(
        builder.groupKey(domainOf(asked)),
        builder.countStar("rows"),
        builder.count(false, "known", builder.field(0)),
        builder.min("least", builder.field(0)),
        builder.max("most", builder.field(0)));
    RelNode known = builder.build();
    joinByDomain(known, asked.unnesting(), 0, asked.present());
    RexNode count = builder.field(before + domain);
    RexNode values = builder.field(before + domain + 1);
    RexNode least = builder.field(before + domain + 2);
    RexNode most = builder.field(before + domain + 3);
    RexNode holds =
        switch (comparison) {
          case LESS_THAN -> builder.lessThan(x, most);
          case LESS_THAN_OR_EQUAL -> builder.lessThanOrEqual(x, most);
          case GREATER_THAN -> builder.greaterThan(x, least);
          case GREATER_THAN_OR_EQUAL -> builder.greaterThanOrEqual(x, least);
          case NOT_EQUALS -> builder.or(builder.notEquals(x, least), builder.notEquals(x, most));
          default -> throw new UnsupportedSqlException("SOME does not go with " + comparison);
        };
    return builder.call(
        SqlStdOperatorTable.CASE,
        builder.or(builder.isNull(count), builder.equals(count, builder.literal(0))),
        builder.literal(false),
        builder.isNull(x),
        unknown(),
        holds,
        builder.literal(true),
        builder.lessThan(values, count),
        unknown(),
        builder.literal(false));
  }
}

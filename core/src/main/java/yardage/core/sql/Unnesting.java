package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.IntStream;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.rel.RelCollations;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Aggregate;
import org.apache.calcite.rel.core.AggregateCall;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rel.core.JoinRelType;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.SetOp;
import org.apache.calcite.rel.core.Sort;
import org.apache.calcite.rel.core.Uncollect;
import org.apache.calcite.rel.logical.LogicalAggregate;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexFieldAccess;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexOver;
import org.apache.calcite.rex.RexShuttle;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.sql.type.SqlTypeUtil;
import org.apache.calcite.tools.RelBuilder;
import org.apache.calcite.util.ImmutableBitSet;

/**
 * Makes a query that depends on rows around it into one that gives its rows for all of them at
 * once, with the columns that tell whose they are: the distinct values of the outer columns, which
 * are its domain, are joined to it and carried upwards (Neumann and Kemper, "Unnesting Arbitrary
 * Queries", 2015). Where a filter says what the outer columns are equal to, those columns take the
 * place of the domain, and nothing is joined.
 */
final class Unnesting {
  /**
   * A query with the columns of the domain behind its own.
   *
   * @param width its own columns
   * @param present whether no column of the domain is ever null
   */
  record Unnested(RelNode rel, int width, boolean present) {}

  private final RelBuilder builder;
  private final RexBuilder rex;
  private final RelNode outer;
  private final OuterColumns columns;
  private final List<Integer> fields;
  private boolean wider;

  /**
   * @param outer what gives the rows that the query depends on
   * @param columns by which the query names them
   * @param query without subqueries of its own
   */
  Unnesting(RelBuilder builder, RelNode outer, OuterColumns columns, RelNode query) {
    this.builder = builder;
    this.rex = builder.getRexBuilder();
    this.outer = outer;
    this.columns = columns;
    this.fields = List.copyOf(columns.namedIn(query));
  }

  /** The columns of the outer rows that make the domain, in the order of the domain. */
  List<Integer> fields() {
    return fields;
  }

  /** An expression with columns in the place of outer ones. */
  private RexNode inner(RexNode expression, int domainAt, RelDataType row) {
    return columns.replaced(
        expression,
        access -> {
          int column = domainAt + fields.indexOf(access.getField().getIndex());
          RexNode ref = rex.makeInputRef(row.getFieldList().get(column).getType(), column);
          return SqlTypeUtil.equalSansNullability(
                  rex.getTypeFactory(), ref.getType(), access.getType())
              ? ref
              : rex.makeCast(
                  rex.getTypeFactory()
                      .createTypeWithNullability(access.getType(), ref.getType().isNullable()),
                  ref);
        });
  }

  /** Whether no outer row has a null in the domain. */
  private boolean isPresent() {
    return fields.stream()
        .noneMatch(f -> outer.getRowType().getFieldList().get(f).getType().isNullable());
  }

  /** The distinct values of the outer columns. */
  private RelNode domain() {
    builder.push(outer);
    builder.project(fields.stream().map(builder::field).toList(), List.of(), true);
    return LogicalAggregate.create(
        builder.build(), List.of(), ImmutableBitSet.range(fields.size()), null, List.of());
  }

  /**
   * @throws UnsupportedSqlException where a part of the query is of a kind that cannot be carried
   */
  Unnested unnest(RelNode rel) {
    if (!columns.areNamedIn(rel)) {
      builder.push(rel).push(domain()).join(JoinRelType.INNER, builder.literal(true));
      return new Unnested(builder.build(), width(rel), isPresent());
    }
    if (rel instanceof Filter filter) {
      return filter(filter);
    } else if (rel instanceof Project project) {
      return project(project);
    } else if (rel instanceof Aggregate aggregate) {
      return aggregate(aggregate, false);
    } else if (rel instanceof Join join) {
      return join(join);
    } else if (rel instanceof SetOp set) {
      return set(set);
    } else if (rel instanceof Sort sort) {
      return sort(sort);
    } else if (rel instanceof Uncollect uncollect
        && uncollect.getInput() instanceof Project lists) {
      return elements(uncollect, lists);
    }
    throw new UnsupportedSqlException(
        "A subquery of this form cannot name columns of the query around it; join the two instead");
  }

  /**
   * That the outer rows and an unnested query, which are on the builder, belong together.
   *
   * @param domainAt where the columns of the domain begin
   * @param present whether these are never null
   */
  RexNode linked(int domainAt, boolean present) {
    List<RexNode> all = new ArrayList<>();
    for (int d = 0; d < fields.size(); d++) {
      all.add(
          equal(
              rex, builder.field(2, 0, fields.get(d)), builder.field(2, 1, domainAt + d), present));
    }
    return RexUtil.composeConjunction(rex, all);
  }

  /** Without the rows for values that no outer row has. */
  Unnested ofOuterRows(Unnested all) {
    if (!wider) {
      return all;
    }
    builder.push(all.rel()).push(domain());
    builder.join(JoinRelType.SEMI, same(all.width(), width(all.rel()), all.present()));
    return new Unnested(builder.build(), all.width(), all.present());
  }

  private static int width(RelNode rel) {
    return rel.getRowType().getFieldCount();
  }

  private Unnested filter(Filter filter) {
    List<RexNode> conditions = RelOptUtil.conjunctions(filter.getCondition());
    RelNode input = filter.getInput();
    int width = width(input);
    if (!columns.areNamedIn(input)) {
      List<RexNode> known = known(conditions);
      if (!known.isEmpty()) {
        wider = true;
        builder.push(input);
        List<RexNode> out = new ArrayList<>(builder.fields());
        out.addAll(known);
        builder.project(out, List.of(), true);
        RelDataType row = builder.peek().getRowType();
        List<RexNode> all = new ArrayList<>();
        conditions.forEach(c -> all.add(inner(c, width, row)));
        // An equality with itself says no more than that there is a value.
        builder.filter(all);
        return new Unnested(builder.build(), width, true);
      }
    }
    Unnested below = unnest(input);
    builder.push(below.rel());
    builder.filter(inner(filter.getCondition(), width, below.rel().getRowType()));
    return new Unnested(builder.build(), width, below.present());
  }

  /** What each outer column is equal to, of the same type; empty unless all are known. */
  private List<RexNode> known(List<RexNode> conditions) {
    List<RexNode> out = new ArrayList<>();
    for (int field : fields) {
      for (RexNode condition : conditions) {
        if (condition.getKind() == SqlKind.EQUALS) {
          RexNode a = ((RexCall) condition).getOperands().get(0);
          RexNode b = ((RexCall) condition).getOperands().get(1);
          RexNode mine = isField(a, field) ? b : isField(b, field) ? a : null;
          RexNode theirs = mine == b ? a : b;
          if (mine != null
              && !columns.areNamedIn(mine)
              && SqlTypeUtil.equalSansNullability(
                  rex.getTypeFactory(), mine.getType(), theirs.getType())) {
            out.add(mine);
            break;
          }
        }
      }
    }
    return out.size() == fields.size() ? out : List.of();
  }

  private boolean isField(RexNode node, int field) {
    return columns.isOne(node) && ((RexFieldAccess) node).getField().getIndex() == field;
  }

  private Unnested project(Project project) {
    return project(project, unnest(project.getInput()));
  }

  /**
   * @param below the unnested input
   */
  Unnested project(Project project, Unnested below) {
    builder.push(below.rel());
    RelDataType row = below.rel().getRowType();
    List<RexNode> domain = domainRefs(below);
    List<RexNode> out = new ArrayList<>();
    for (RexNode e : project.getProjects()) {
      out.add(inner(e, below.width(), row).accept(partitioned(domain)));
    }
    out.addAll(domain);
    builder.project(out, List.of(), true);
    return new Unnested(builder.build(), project.getProjects().size(), below.present());
  }

  /** The elements of lists that each outer row has of its own. */
  private Unnested elements(Uncollect uncollect, Project lists) {
    Unnested below = project(lists);
    builder.push(below.rel());
    List<RexNode> out = new ArrayList<>(domainRefs(below));
    out.addAll(builder.fields().subList(0, below.width()));
    RelNode rows = ListRows.elements(builder.project(out).build(), uncollect);
    builder.push(rows);
    List<RexNode> all = builder.fields();
    int width = all.size() - fields.size();
    List<RexNode> turned = new ArrayList<>(all.subList(fields.size(), all.size()));
    turned.addAll(all.subList(0, fields.size()));
    builder.project(turned, List.of(), true);
    return new Unnested(builder.build(), width, below.present());
  }

  private List<RexNode> domainRefs(Unnested of) {
    return IntStream.range(of.width(), of.width() + fields.size())
        .<RexNode>mapToObj(c -> RexInputRef.of(c, of.rel().getRowType()))
        .toList();
  }

  /** Windows see the rows of their own outer row only. */
  private RexShuttle partitioned(List<RexNode> domain) {
    return new RexShuttle() {
      @Override
      public RexNode visitOver(RexOver over) {
        List<RexNode> by = new ArrayList<>(over.getWindow().partitionKeys);
        by.addAll(domain);
        return rex.makeOver(
            over.getType(),
            over.getAggOperator(),
            over.getOperands(),
            by,
            over.getWindow().orderKeys,
            over.getWindow().getLowerBound(),
            over.getWindow().getUpperBound(),
            over.getWindow().getExclude(),
            over.getWindow().isRows(),
            true,
            false,
            over.isDistinct(),
            over.ignoreNulls());
      }
    };
  }

  /**
   * @param bare whether an outer row without rows may be missing from the result of an aggregate
   *     over all rows, which otherwise has a row for each
   */
  Unnested aggregate(Aggregate aggregate, boolean bare) {
    Unnested below = unnest(aggregate.getInput());
    ImmutableBitSet domain = ImmutableBitSet.range(below.width(), below.width() + fields.size());
    List<ImmutableBitSet> sets =
        aggregate.getGroupSets().stream().map(s -> s.union(domain)).toList();
    List<AggregateCall> calls = aggregate.getAggCallList();
    int keys = aggregate.getGroupCount();
    RelNode grouped =
        LogicalAggregate.create(
            below.rel(),
            List.of(),
            aggregate.getGroupSet().union(domain),
            sets.size() == 1 ? null : ImmutableBitSet.ORDERING.immutableSortedCopy(sets),
            calls.stream().map(c -> grouped(c, below.rel(), keys + fields.size())).toList());
    boolean whole = keys == 0 && aggregate.getGroupType() == Aggregate.Group.SIMPLE && !bare;
    if (whole) {
      builder.push(domain()).push(grouped);
      builder.join(JoinRelType.LEFT, same(0, fields.size(), below.present()));
    } else {
      builder.push(grouped);
    }
    int from = whole ? fields.size() : 0;
    List<RexNode> out = new ArrayList<>();
    for (int k = 0; k < keys; k++) {
      out.add(builder.field(from + k));
    }
    for (int c = 0; c < calls.size(); c++) {
      RexNode value = builder.field(from + keys + fields.size() + c);
      out.add(whole ? orOfNothing(calls.get(c), value) : value);
    }
    for (int d = 0; d < fields.size(); d++) {
      out.add(builder.field(whole ? d : keys + d));
    }
    builder.project(out, List.of(), true);
    return new Unnested(
        builder.build(), keys + calls.size(), whole ? isPresent() : below.present());
  }

  private static AggregateCall grouped(AggregateCall call, RelNode input, int groups) {
    return AggregateCall.create(
        call.getAggregation(),
        call.isDistinct(),
        call.isApproximate(),
        call.ignoreNulls(),
        call.rexList,
        call.getArgList(),
        call.filterArg,
        call.distinctKeys,
        call.getCollation() == null ? RelCollations.EMPTY : call.getCollation(),
        groups,
        input,
        null,
        call.getName());
  }

  private RexNode orOfNothing(AggregateCall call, RexNode value) {
    return isCount(call)
        ? builder.call(SqlStdOperatorTable.COALESCE, value, rex.makeZeroLiteral(call.getType()))
        : value;
  }

  /** Whether an aggregate is zero, and not null, over no rows. */
  static boolean isCount(AggregateCall call) {
    SqlKind kind = call.getAggregation().getKind();
    return kind == SqlKind.COUNT || kind == SqlKind.SUM0;
  }

  /** That two domains are of one outer row: columns from {@code a} on, and from {@code b} on. */
  private RexNode same(int a, int b, boolean present) {
    int left = builder.peek(1).getRowType().getFieldCount();
    List<RexNode> all = new ArrayList<>();
    for (int d = 0; d < fields.size(); d++) {
      RexNode x = builder.field(2, 0, a + d);
      RexNode y = builder.field(2, 1, b + d - left);
      all.add(equal(rex, x, y, present));
    }
    return RexUtil.composeConjunction(rex, all);
  }

  /**
   * That two columns are equal, or both null.
   *
   * @param present whether one of them is known to be never null
   */
  private static RexNode equal(RexBuilder rex, RexNode x, RexNode y, boolean present) {
    boolean nulls = !present && x.getType().isNullable() && y.getType().isNullable();
    return rex.makeCall(
        nulls ? SqlStdOperatorTable.IS_NOT_DISTINCT_FROM : SqlStdOperatorTable.EQUALS, x, y);
  }

  private Unnested join(Join join) {
    JoinRelType type = join.getJoinType();
    boolean onRight = columns.areNamedIn(join.getRight());
    boolean keepsLeft = type == JoinRelType.LEFT || !type.projectsRight();
    boolean inner = type == JoinRelType.INNER;
    boolean left =
        columns.areNamedIn(join.getLeft())
            || keepsLeft
            || inner && !onRight
            || type == JoinRelType.FULL;
    boolean right = onRight || type == JoinRelType.RIGHT || type == JoinRelType.FULL;
    Unnested l =
        left ? unnest(join.getLeft()) : new Unnested(join.getLeft(), width(join.getLeft()), false);
    Unnested r =
        right
            ? unnest(join.getRight())
            : new Unnested(join.getRight(), width(join.getRight()), false);
    builder.push(l.rel()).push(r.rel());
    int wide = width(l.rel());
    List<RelDataType> types = new ArrayList<>();
    l.rel().getRowType().getFieldList().forEach(f -> types.add(f.getType()));
    r.rel().getRowType().getFieldList().forEach(f -> types.add(f.getType()));
    int domainAt = left ? l.width() : wide + r.width();
    RexNode moved =
        join.getCondition()
            .accept(
                new RexShuttle() {
                  @Override
                  public RexNode visitInputRef(RexInputRef ref) {
                    int at = ref.getIndex();
                    int now = at < l.width() ? at : at - l.width() + wide;
                    return rex.makeInputRef(types.get(now), now);
                  }
                });
    RexNode condition =
        columns.replaced(
            moved,
            access -> {
              int at = domainAt + fields.indexOf(access.getField().getIndex());
              return rex.ensureType(access.getType(), rex.makeInputRef(types.get(at), at), true);
            });
    if (left && right) {
      condition =
          RexUtil.composeConjunction(
              rex,
              List.of(condition, same(l.width(), wide + r.width(), l.present() || r.present())));
    }
    builder.join(type, condition);
    List<RexNode> out = new ArrayList<>(builder.fields().subList(0, l.width()));
    if (type.projectsRight()) {
      out.addAll(builder.fields().subList(wide, wide + r.width()));
    }
    int own = out.size();
    for (int d = 0; d < fields.size(); d++) {
      RexNode ofLeft = left ? builder.field(l.width() + d) : null;
      RexNode ofRight = right && type.projectsRight() ? builder.field(wide + r.width() + d) : null;
      out.add(
          type == JoinRelType.FULL
              ? builder.call(SqlStdOperatorTable.COALESCE, ofLeft, ofRight)
              : ofLeft == null || type == JoinRelType.RIGHT ? ofRight : ofLeft);
    }
    builder.project(out, List.of(), true);
    boolean present =
        type != JoinRelType.FULL && (left && type != JoinRelType.RIGHT ? l.present() : r.present());
    return new Unnested(builder.build(), own, present);
  }

  private Unnested set(SetOp set) {
    int width = width(set);
    boolean present = true;
    for (RelNode input : set.getInputs()) {
      Unnested one = unnest(input);
      present &= one.present();
      builder.push(one.rel());
    }
    int inputs = set.getInputs().size();
    switch (set.kind) {
      case UNION -> builder.union(set.all, inputs);
      case INTERSECT -> builder.intersect(set.all, inputs);
      default -> builder.minus(set.all, inputs);
    }
    return new Unnested(builder.build(), width, present);
  }

  /** The first rows for each outer row; an order without them says nothing. */
  private Unnested sort(Sort sort) {
    Unnested below = unnest(sort.getInput());
    if (sort.fetch == null && sort.offset == null) {
      return below;
    }
    builder.push(below.rel());
    List<RexNode> out = new ArrayList<>(builder.fields());
    out.add(
        builder
            .aggregateCall(SqlStdOperatorTable.ROW_NUMBER)
            .over()
            .partitionBy(domainRefs(below))
            .orderBy(
                sort.getCollation().getFieldCollations().stream()
                    .map(
                        c -> {
                          RexNode key = builder.field(c.getFieldIndex());
                          RexNode way = c.direction.isDescending() ? builder.desc(key) : key;
                          return switch (c.nullDirection) {
                            case FIRST -> builder.nullsFirst(way);
                            case LAST -> builder.nullsLast(way);
                            case UNSPECIFIED ->
                                c.direction.isDescending()
                                    ? builder.nullsFirst(way)
                                    : builder.nullsLast(way);
                          };
                        })
                    .toList())
            .toRex());
    builder.project(out, List.of(), true);
    RexNode number = builder.field(out.size() - 1);
    int skipped = sort.offset == null ? 0 : RexLiteral.intValue(sort.offset);
    List<RexNode> conditions = new ArrayList<>();
    conditions.add(builder.greaterThan(number, builder.literal(skipped)));
    if (sort.fetch != null) {
      conditions.add(
          builder.lessThanOrEqual(
              number, builder.literal(skipped + RexLiteral.intValue(sort.fetch))));
    }
    builder.filter(conditions);
    builder.project(builder.fields().subList(0, out.size() - 1), List.of(), true);
    return new Unnested(builder.build(), below.width(), below.present());
  }
}

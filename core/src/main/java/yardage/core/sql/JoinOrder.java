package yardage.core.sql;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rel.core.JoinRelType;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.hint.HintPredicates;
import org.apache.calcite.rel.hint.HintStrategyTable;
import org.apache.calcite.rel.hint.RelHint;
import org.apache.calcite.rel.logical.LogicalJoin;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.sql.fun.SqlStdOperatorTable;
import org.apache.calcite.tools.RelBuilder;
import org.apache.calcite.util.ImmutableBitSet;

/**
 * Puts inner joins of three and more inputs into another order: of all pairs that a condition links
 * the one with the fewest rows is joined first, and so on (L. Fegaras, A New Heuristic for
 * Optimizing Large Queries, DEXA 1998). Inputs that nothing links are joined last. Columns and rows
 * are those of the joins as they are written; the larger input passes by the smaller one.
 *
 * <p>What is known is how many rows each table has, and of some columns how many values ({@link
 * Estimates}). Columns that conditions make equal and of which nothing is known are taken to have
 * as many different values as the smallest of their tables has rows: that of which they are the
 * key.
 */
final class JoinOrder {
  /** On joins whose sides are where they are to be. */
  static final RelHint PLACED = RelHint.builder("placed").build();

  /** What the library must know of it. */
  static final HintStrategyTable HINTS =
      HintStrategyTable.builder().hintStrategy(PLACED.hintName, HintPredicates.JOIN).build();

  /** The share of rows that meet a condition that is no equality of columns. */
  private static final double SOME = 0.3;

  private final RelBuilder builder;
  private final RexBuilder rexBuilder;
  private final Estimates estimates;

  JoinOrder(RelBuilder builder) {
    this.builder = builder;
    this.rexBuilder = builder.getRexBuilder();
    this.estimates = new Estimates(rexBuilder);
  }

  RelNode order(RelNode written) {
    RelNode rel = withOneRowBelow(written);
    if (!isInner(rel)) {
      return withInputs(rel);
    }
    Flat flat = new Flat();
    flat.add(rel, 0);
    return flat.leaves.size() < 3 ? withInputs(rel) : flat.joined(rel);
  }

  /**
   * Compares with the one row of a subquery before it is looked whether others have a row: fewer
   * are looked for then. Both leave rows out, in any order.
   */
  private static RelNode withOneRowBelow(RelNode rel) {
    if (!isInner(rel)
        || !(rel.getInput(0) instanceof Join exists)
        || exists.getJoinType() != JoinRelType.SEMI && exists.getJoinType() != JoinRelType.ANTI
        || !isOneRow(rel.getInput(1))) {
      return rel;
    }
    Join join = (Join) rel;
    RelNode left = exists.getLeft();
    RelNode one = join.getRight();
    RexNode condition =
        RexUtil.shift(
            exists.getCondition(),
            left.getRowType().getFieldCount(),
            one.getRowType().getFieldCount());
    return exists.copy(
        exists.getTraitSet(),
        condition,
        join.copy(join.getTraitSet(), join.getCondition(), left, one, JoinRelType.INNER, false),
        exists.getRight(),
        exists.getJoinType(),
        false);
  }

  private static boolean isOneRow(RelNode rel) {
    Double most = rel.getCluster().getMetadataQuery().getMaxRowCount(rel);
    return most != null && most <= 1;
  }

  private RelNode withInputs(RelNode rel) {
    List<RelNode> inputs = rel.getInputs().stream().map(this::order).toList();
    return inputs.equals(rel.getInputs()) ? rel : rel.copy(rel.getTraitSet(), inputs);
  }

  private static boolean isInner(RelNode rel) {
    return rel instanceof Join join && join.getJoinType() == JoinRelType.INNER;
  }

  /**
   * Some inputs that are joined already.
   *
   * @param columns the places of its columns among all, in its own order
   */
  private record Part(
      RelNode rel,
      ImmutableBitSet leaves,
      List<Integer> columns,
      ImmutableBitSet has,
      double rows) {
    Part(RelNode rel, ImmutableBitSet leaves, List<Integer> columns, double rows) {
      this(rel, leaves, columns, ImmutableBitSet.of(columns), rows);
    }

    boolean has(int column) {
      return has.get(column);
    }
  }

  /** A condition that is no equality of columns, and the inputs that it is about. */
  private record Condition(RexNode rex, ImmutableBitSet leaves) {}

  /** Joins of one level: their inputs, and the parts of their conditions over all columns. */
  private final class Flat {
    private final List<RelNode> leaves = new ArrayList<>();
    private final List<Integer> starts = new ArrayList<>();
    private final List<RexNode> conditions = new ArrayList<>();

    /** For each column the first of those that it is equal to. */
    private final Map<Integer, Integer> equal = new TreeMap<>();

    private final Map<Integer, Domain> valuesOf = new HashMap<>();
    private int width;

    void add(RelNode rel, int start) {
      if (!isInner(rel)) {
        leaves.add(order(rel));
        starts.add(start);
        width = start + rel.getRowType().getFieldCount();
        return;
      }
      Join join = (Join) rel;
      add(join.getLeft(), start);
      add(join.getRight(), start + join.getLeft().getRowType().getFieldCount());
      RelOptUtil.conjunctions(join.getCondition()).stream()
          .map(c -> RexUtil.shift(c, start))
          .forEach(conditions::add);
    }

    private int leafOf(int column) {
      int leaf = leaves.size() - 1;
      while (starts.get(leaf) > column) {
        leaf--;
      }
      return leaf;
    }

    RelNode joined(RelNode written) {
      List<Condition> rest = new ArrayList<>();
      for (RexNode c : conditions) {
        if (!equates(c)) {
          rest.add(new Condition(c, leavesOf(c)));
        }
      }
      List<Part> parts = new ArrayList<>();
      for (int i = 0; i < leaves.size(); i++) {
        RelNode leaf = withEqualColumns(i);
        List<Integer> columns = new ArrayList<>();
        for (int c = 0; c < leaf.getRowType().getFieldCount(); c++) {
          columns.add(starts.get(i) + c);
        }
        parts.add(new Part(leaf, ImmutableBitSet.of(i), columns, estimates.rows(leaf)));
      }
      while (parts.size() > 1) {
        Pair best = null;
        for (int a = 0; a < parts.size(); a++) {
          for (int b = a + 1; b < parts.size(); b++) {
            Pair pair = pair(parts.get(a), parts.get(b), rest);
            if (best == null || pair.isBefore(best)) {
              best = pair;
            }
          }
        }
        Part made = join(best);
        parts.remove(best.a());
        parts.remove(best.b());
        parts.add(made);
        rest.removeAll(best.rest());
      }
      Part all = parts.get(0);
      builder.push(all.rel());
      if (!rest.isEmpty()) {
        builder.filter(rest.stream().map(c -> Refs.within(c.rex(), all.columns())).toList());
      }
      List<RexNode> asWritten = new ArrayList<>();
      for (int c = 0; c < width; c++) {
        asWritten.add(builder.field(all.columns().indexOf(c)));
      }
      return builder.project(asWritten, written.getRowType().getFieldNames(), true).build();
    }

    /** Columns of one input that are equal to one of another are equal to each other. */
    private RelNode withEqualColumns(int leaf) {
      RelNode rel = leaves.get(leaf);
      Map<Integer, Integer> seen = new HashMap<>();
      builder.push(rel);
      for (int c : equal.keySet()) {
        if (leafOf(c) == leaf) {
          Integer other = seen.putIfAbsent(first(c), c);
          if (other != null) {
            int start = starts.get(leaf);
            builder.filter(builder.equals(builder.field(other - start), builder.field(c - start)));
          }
        }
      }
      return builder.build();
    }

    /** Notes an equality of two columns of one type; whether the condition is one. */
    private boolean equates(RexNode condition) {
      if (condition.getKind() == SqlKind.EQUALS
          && ((RexCall) condition).getOperands().get(0) instanceof RexInputRef a
          && ((RexCall) condition).getOperands().get(1) instanceof RexInputRef b
          && leafOf(a.getIndex()) != leafOf(b.getIndex())
          && SqlTypes.fromSql(a.getType()).equals(SqlTypes.fromSql(b.getType()))) {
        int x = first(a.getIndex());
        int y = first(b.getIndex());
        Domain values = domain(x).and(domain(y));
        equal.put(Math.max(x, y), Math.min(x, y));
        equal.putIfAbsent(a.getIndex(), Math.min(x, y));
        equal.putIfAbsent(b.getIndex(), Math.min(x, y));
        valuesOf.put(Math.min(x, y), values);
        return true;
      }
      return false;
    }

    private int first(int column) {
      int at = column;
      while (equal.getOrDefault(at, at) != at) {
        at = equal.get(at);
      }
      return at;
    }

    private Domain domain(int column) {
      return valuesOf.computeIfAbsent(
          column,
          c -> {
            int leaf = leafOf(c);
            return Domain.of(leaves.get(leaf), c - starts.get(leaf), estimates);
          });
    }

    private Pair pair(Part a, Part b, List<Condition> rest) {
      Map<Integer, int[]> shared = new TreeMap<>();
      for (int c : equal.keySet()) {
        int[] sides = shared.computeIfAbsent(first(c), f -> new int[] {-1, -1});
        if (a.has(c)) {
          sides[0] = c;
        } else if (b.has(c)) {
          sides[1] = c;
        }
      }
      shared.values().removeIf(s -> s[0] < 0 || s[1] < 0);
      ImmutableBitSet both = a.leaves().union(b.leaves());
      List<Condition> now = rest.stream().filter(c -> both.contains(c.leaves())).toList();
      double share = Math.pow(SOME, now.size());
      // Of several columns each further one tells less: they depend on each other.
      double power = 1;
      for (double values :
          shared.keySet().stream()
              .map(c -> valuesOf.get(c).values())
              .sorted((x, y) -> Double.compare(y, x))
              .toList()) {
        share /= Math.pow(Math.max(1, values), power);
        power /= 2;
      }
      boolean linked =
          !shared.isEmpty()
              || now.stream()
                  .map(Condition::leaves)
                  .anyMatch(l -> l.intersects(a.leaves()) && l.intersects(b.leaves()));
      return new Pair(
          a,
          b,
          List.copyOf(shared.values()),
          now,
          linked,
          Math.max(1, a.rows() * b.rows() * share));
    }

    private ImmutableBitSet leavesOf(RexNode condition) {
      ImmutableBitSet.Builder out = ImmutableBitSet.builder();
      RelOptUtil.InputFinder.bits(condition).forEach(c -> out.set(leafOf(c)));
      return out.build();
    }
  }

  /**
   * Two parts as they would be joined.
   *
   * @param equal columns of both that are equal
   * @param rest other conditions that can be told then
   * @param linked whether any of these is about both parts
   */
  private record Pair(
      Part a, Part b, List<int[]> equal, List<Condition> rest, boolean linked, double rows) {
    boolean isBefore(Pair other) {
      if (linked != other.linked()) {
        return linked;
      }
      return rows != other.rows
          ? rows < other.rows
          : a.rows() + b.rows() < other.a().rows() + other.b().rows();
    }
  }

  private Part join(Pair pair) {
    Part left = pair.a().rows() >= pair.b().rows() ? pair.a() : pair.b();
    Part right = left == pair.a() ? pair.b() : pair.a();
    List<Integer> columns = new ArrayList<>(left.columns());
    columns.addAll(right.columns());
    List<RexNode> on = new ArrayList<>();
    for (int[] sides : pair.equal()) {
      on.add(
          rexBuilder.makeCall(
              SqlStdOperatorTable.EQUALS,
              ref(left.has(sides[0]) ? sides[0] : sides[1], left, 0),
              ref(right.has(sides[0]) ? sides[0] : sides[1], right, left.columns().size())));
    }
    pair.rest().forEach(c -> on.add(Refs.within(c.rex(), columns)));
    return new Part(
        LogicalJoin.create(
            left.rel(),
            right.rel(),
            List.of(PLACED),
            RexUtil.composeConjunction(rexBuilder, on),
            java.util.Set.of(),
            JoinRelType.INNER),
        left.leaves().union(right.leaves()),
        columns,
        pair.rows());
  }

  private static RexNode ref(int column, Part part, int start) {
    int at = part.columns().indexOf(column);
    return new RexInputRef(start + at, part.rel().getRowType().getFieldList().get(at).getType());
  }

  /**
   * The values that columns which are equal have in their tables, whatever filters say.
   *
   * @param values how many there are
   * @param known whether the tables say so; else it is the rows of a table
   */
  private record Domain(double values, boolean known) {
    static Domain of(RelNode leaf, int column, Estimates estimates) {
      RelNode at = leaf;
      int c = column;
      while (at instanceof Filter
          || at instanceof Project p && p.getProjects().get(c) instanceof RexInputRef) {
        if (at instanceof Project p) {
          c = ((RexInputRef) p.getProjects().get(c)).getIndex();
        }
        at = at.getInput(0);
      }
      Estimates.Estimate all = estimates.of(at);
      double values = all.values()[c];
      return Double.isNaN(values)
          ? new Domain(Math.max(1, all.of()), false)
          : new Domain(values, true);
    }

    /**
     * All of one side's are taken to be among the other's. Of what is not known the smaller counts.
     */
    Domain and(Domain other) {
      if (known != other.known) {
        return known ? this : other;
      }
      boolean isLarger = values > other.values;
      return isLarger == known ? this : other;
    }
  }
}

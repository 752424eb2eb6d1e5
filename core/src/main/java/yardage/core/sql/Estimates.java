package yardage.core.sql;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.DoubleStream;
import java.util.stream.IntStream;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Aggregate;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.Sample;
import org.apache.calcite.rel.core.Sort;
import org.apache.calcite.rel.core.TableScan;
import org.apache.calcite.rel.core.Union;
import org.apache.calcite.rel.core.Values;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexCall;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.sql.SqlKind;

/**
 * How many rows algebra gives, and how many different values its columns have, as far as that can
 * be told from the tables: with values that are spread evenly, columns that do not depend on each
 * other, and keys of the smaller side that are all among those of the larger one (P. Selinger and
 * others, Access Path Selection in a Relational Database Management System, SIGMOD 1979). Of
 * several columns each further one tells less, since columns do depend on each other. One thread.
 */
final class Estimates {
  /** The share of rows that meet a condition of which nothing is known. */
  private static final double SOME = 0.3;

  private static final double EQUAL = 0.1;
  private static final double LIKE = 0.1;
  private static final double NULL = 0.05;

  /** Of rows of which nothing is known. */
  private static final double UNKNOWN_ROWS = 1000;

  /** How many groups columns make of which nothing is known, as a power of the rows. */
  private static final double GROUPS_POWER = 0.75;

  /**
   * @param values for each column the number of different ones; NaN where nothing is known
   * @param of the rows of the largest table that is read
   */
  record Estimate(double rows, double[] values, double of) {
    /** Never more values than rows, and a row at least. */
    static Estimate of(double rows, double[] values, double of) {
      double some = Math.max(1, rows);
      return new Estimate(some, DoubleStream.of(values).map(v -> Math.min(v, some)).toArray(), of);
    }

    Estimate rows(double now) {
      return of(now, values, of);
    }
  }

  private final RexBuilder rexBuilder;
  private final Map<RelNode, Estimate> known = new IdentityHashMap<>();

  Estimates(RexBuilder rexBuilder) {
    this.rexBuilder = rexBuilder;
  }

  double rows(RelNode rel) {
    return of(rel).rows();
  }

  Estimate of(RelNode rel) {
    Estimate there = known.get(rel);
    if (there == null) {
      there = made(rel);
      known.put(rel, there);
    }
    return there;
  }

  private Estimate made(RelNode rel) {
    if (rel instanceof TableScan scan) {
      return scan(scan);
    } else if (rel instanceof Filter filter) {
      Estimate in = of(filter.getInput());
      return met(in, filter.getCondition());
    } else if (rel instanceof Project project) {
      Estimate in = of(project.getInput());
      return Estimate.of(
          in.rows(),
          project.getProjects().stream().mapToDouble(e -> values(e, in)).toArray(),
          in.of());
    } else if (rel instanceof Join join) {
      return join(join);
    } else if (rel instanceof Aggregate aggregate) {
      return aggregate(aggregate);
    } else if (rel instanceof Union union) {
      return union(union);
    } else if (rel instanceof Values values) {
      double rows = values.getTuples().size();
      return Estimate.of(rows, unknown(rel), rows);
    } else if (rel instanceof Sample sample) {
      Estimate in = of(sample.getInput());
      return in.rows(in.rows() * sample.getSamplingParameters().sampleRate.doubleValue());
    } else if (rel instanceof Sort sort) {
      Estimate in = of(sort.getInput());
      return sort.fetch instanceof RexLiteral most
          ? in.rows(Math.min(in.rows(), RexLiteral.intValue(most)))
          : in;
    }
    return other(rel);
  }

  /** Our own nodes: no more rows than come in. */
  private Estimate other(RelNode rel) {
    if (rel.getInputs().size() == 1) {
      Estimate in = of(rel.getInput(0));
      boolean same = in.values().length == rel.getRowType().getFieldCount();
      return same ? in : Estimate.of(in.rows(), unknown(rel), in.of());
    }
    double rows = rel.getInputs().stream().mapToDouble(this::rows).sum();
    return Estimate.of(rel.getInputs().isEmpty() ? UNKNOWN_ROWS : rows, unknown(rel), rows);
  }

  private static double[] unknown(RelNode rel) {
    double[] out = new double[rel.getRowType().getFieldCount()];
    Arrays.fill(out, Double.NaN);
    return out;
  }

  private static Estimate scan(TableScan scan) {
    Relation relation = scan.getTable().unwrap(RelationTable.class).relation();
    double rows = relation.rowCount();
    return Estimate.of(
        rows,
        IntStream.range(0, scan.getRowType().getFieldCount())
            .mapToDouble(c -> relation.valueCount(c).orElse(Double.NaN))
            .toArray(),
        rows);
  }

  private static double values(RexNode expression, Estimate in) {
    return expression instanceof RexInputRef ref
        ? in.values()[ref.getIndex()]
        : expression instanceof RexLiteral ? 1 : Double.NaN;
  }

  private Estimate met(Estimate in, RexNode condition) {
    double share = 1;
    double[] values = in.values().clone();
    for (RexNode part :
        RelOptUtil.conjunctions(RexUtil.expandSearch(rexBuilder, null, condition))) {
      double met = share(part, in);
      share *= met;
      if (part instanceof RexCall call
          && call.getOperands().size() == 2
          && call.getOperands().get(0) instanceof RexInputRef ref
          && call.getOperands().get(1) instanceof RexLiteral) {
        values[ref.getIndex()] =
            part.getKind() == SqlKind.EQUALS ? 1 : values[ref.getIndex()] * met;
      }
    }
    return Estimate.of(in.rows() * share, values, in.of());
  }

  /** The share of rows that meet a condition. */
  private double share(RexNode condition, Estimate in) {
    if (!(condition instanceof RexCall call)) {
      return condition.isAlwaysTrue() ? 1 : SOME;
    }
    List<RexNode> operands = call.getOperands();
    return switch (call.getKind()) {
      case AND -> {
        double all = 1;
        for (RexNode o : operands) {
          all *= share(o, in);
        }
        yield all;
      }
      case OR -> {
        double not = 1;
        for (RexNode o : operands) {
          not *= 1 - share(o, in);
        }
        yield 1 - not;
      }
      case NOT -> 1 - share(operands.get(0), in);
      case EQUALS, IS_NOT_DISTINCT_FROM -> equal(operands.get(0), operands.get(1), in);
      case NOT_EQUALS -> 1 - equal(operands.get(0), operands.get(1), in);
      case IS_NULL -> NULL;
      case IS_NOT_NULL -> 1 - NULL;
      case LIKE -> LIKE;
      default -> SOME;
    };
  }

  private static double equal(RexNode a, RexNode b, Estimate in) {
    if (a.equals(b)) {
      return 1 - NULL;
    }
    double most = Math.max(orNone(values(a, in)), orNone(values(b, in)));
    return most > 1 ? 1 / most : EQUAL;
  }

  private static double orNone(double values) {
    return Double.isNaN(values) ? 0 : values;
  }

  private Estimate join(Join join) {
    Estimate left = of(join.getLeft());
    Estimate right = of(join.getRight());
    List<Integer> leftKeys = new ArrayList<>();
    List<Integer> rightKeys = new ArrayList<>();
    RexNode rest =
        RelOptUtil.splitJoinCondition(
            join.getLeft(),
            join.getRight(),
            join.getCondition(),
            leftKeys,
            rightKeys,
            new ArrayList<>());
    double[] mine = keys(left, leftKeys, right);
    double[] theirs = keys(right, rightKeys, left);
    double further = Math.pow(SOME, rest.isAlwaysTrue() ? 0 : RelOptUtil.conjunctions(rest).size());
    double pairs =
        left.rows()
            * right.rows()
            * further
            / product(
                IntStream.range(0, mine.length)
                    .mapToDouble(k -> Math.max(mine[k], theirs[k]))
                    .toArray());
    double found = Math.min(1, product(theirs) / product(mine)) * (rest.isAlwaysTrue() ? 1 : 0.5);
    double of = Math.max(left.of(), right.of());
    double[] both = new double[left.values().length + right.values().length];
    System.arraycopy(left.values(), 0, both, 0, left.values().length);
    System.arraycopy(right.values(), 0, both, left.values().length, right.values().length);
    for (int k = 0; k < leftKeys.size(); k++) {
      double values = Math.min(mine[k], theirs[k]);
      both[leftKeys.get(k)] = values;
      both[left.values().length + rightKeys.get(k)] = values;
    }
    return switch (join.getJoinType()) {
      case SEMI -> left.rows(left.rows() * found);
      case ANTI -> left.rows(left.rows() * Math.max(EQUAL, 1 - found));
      case LEFT -> Estimate.of(Math.max(pairs, left.rows()), both, of);
      case RIGHT -> Estimate.of(Math.max(pairs, right.rows()), both, of);
      case FULL -> Estimate.of(Math.max(pairs, left.rows() + right.rows()), both, of);
      default -> Estimate.of(pairs, both, of);
    };
  }

  /**
   * The different keys; where nothing is known of them, as many as the smaller side's table has
   * rows: it is taken to be the one of which they are the key.
   */
  private static double[] keys(Estimate side, List<Integer> keys, Estimate other) {
    return keys.stream()
        .mapToDouble(
            k -> {
              double values = side.values()[k];
              return Double.isNaN(values)
                  ? Math.max(1, Math.min(side.rows(), Math.min(side.of(), other.of())))
                  : Math.max(1, values);
            })
        .toArray();
  }

  /** Of several columns each further one tells half as much, the one with most values first. */
  private static double product(double[] values) {
    double all = 1;
    double power = 1;
    double[] sorted = DoubleStream.of(values).sorted().toArray();
    for (int i = sorted.length - 1; i >= 0; i--) {
      all *= Math.pow(sorted[i], power);
      power /= 2;
    }
    return all;
  }

  private Estimate aggregate(Aggregate aggregate) {
    Estimate in = of(aggregate.getInput());
    double[] out = unknown(aggregate);
    double[] keys =
        aggregate.getGroupSet().asList().stream().mapToDouble(k -> in.values()[k]).toArray();
    System.arraycopy(keys, 0, out, 0, keys.length);
    double some = Math.pow(in.rows(), GROUPS_POWER);
    double[] all =
        DoubleStream.of(keys).map(v -> Double.isNaN(v) ? Math.max(1, some) : v).toArray();
    double groups = keys.length == 0 ? 1 : Math.min(in.rows(), product(all));
    return Estimate.of(groups * aggregate.getGroupSets().size(), out, in.of());
  }

  private Estimate union(Union union) {
    double rows = union.getInputs().stream().mapToDouble(this::rows).sum();
    double of = union.getInputs().stream().mapToDouble(i -> of(i).of()).max().orElse(rows);
    return Estimate.of(union.all ? rows : Math.pow(rows, GROUPS_POWER), unknown(union), of);
  }
}

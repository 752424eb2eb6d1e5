package yardage.core.sql;

import com.google.common.collect.ImmutableList;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.TreeSet;
import java.util.function.UnaryOperator;
import java.util.stream.IntStream;
import org.apache.calcite.plan.RelDigest;
import org.apache.calcite.prepare.RelOptTableImpl;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Aggregate;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Join;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.Sort;
import org.apache.calcite.rel.core.TableScan;
import org.apache.calcite.rel.core.Union;
import org.apache.calcite.rel.core.Values;
import org.apache.calcite.rel.logical.LogicalTableScan;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.tools.RelBuilder;
import yardage.core.column.Schema;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;

/**
 * Parts that stand in a query more than once, such as a query that is named by {@code WITH} and
 * read twice: each is computed once and its rows are kept, where they are much fewer than those
 * that are read for them. Of the columns only those are computed that anybody reads.
 */
final class SharedParts {
  /** A part must leave no more than one of so many rows that it reads. */
  private static final int LEAST_READ_A_ROW = 4;

  /** To read fewer rows twice costs nothing. */
  private static final int LEAST_READ = 1_000;

  /** A part as a table of its own. */
  static final class Part implements Relation {
    private final String name;
    private final RelNode whole;
    private final Estimates.Estimate estimate;
    private int[] columns = {};
    private RelNode rel;

    private Part(String name, RelNode whole, Estimates.Estimate estimate) {
      this.name = name;
      this.whole = whole;
      this.estimate = estimate;
    }

    String name() {
      return name;
    }

    /** What gives the columns that are read. */
    RelNode rel() {
      return rel;
    }

    /** The place of a column among those that {@link #rel} gives. */
    int place(int column) {
      return Arrays.binarySearch(columns, column);
    }

    @Override
    public Schema schema() {
      return SqlTypes.schema(whole.getRowType());
    }

    @Override
    public double rowCount() {
      return estimate.rows();
    }

    @Override
    public OptionalDouble valueCount(int column) {
      double values = estimate.values()[column];
      return Double.isNaN(values) ? OptionalDouble.empty() : OptionalDouble.of(values);
    }

    @Override
    public PlanNode read(int[] wanted, List<ColumnPredicate> predicates, String step) {
      throw new UnsupportedOperationException("A part is planned with its query");
    }
  }

  private final RelBuilder builder;
  private final Estimates estimates;
  private final Map<RelDigest, Integer> counts = new HashMap<>();
  private final Map<RelDigest, Part> parts = new LinkedHashMap<>();

  private SharedParts(RelBuilder builder) {
    this.builder = builder;
    this.estimates = new Estimates(builder.getRexBuilder());
  }

  /**
   * A query with its repeated parts in the place of tables.
   *
   * @param finish what is done to a query, and to each part, once they stand apart
   */
  static RelNode apart(RelNode rel, RelBuilder builder, UnaryOperator<RelNode> finish) {
    SharedParts shared = new SharedParts(builder);
    shared.count(rel, false);
    if (shared.counts.values().stream().noneMatch(n -> n > 1)) {
      return finish.apply(rel);
    }
    RelNode out = finish.apply(shared.replaced(rel, false));
    for (Part part : shared.parts.values()) {
      TreeSet<Integer> read = new TreeSet<>();
      columns(out, part, read);
      if (read.isEmpty()) {
        read.add(0);
      }
      part.columns = read.stream().mapToInt(Integer::intValue).toArray();
      builder.push(part.whole);
      part.rel = finish.apply(builder.project(builder.fields(List.copyOf(read))).build());
    }
    return out;
  }

  /** Part of a scan; empty for a scan of anything else. */
  static Optional<Part> of(RelNode node) {
    return node instanceof TableScan scan
            && scan.getTable().unwrap(RelationTable.class).relation() instanceof Part part
        ? Optional.of(part)
        : Optional.empty();
  }

  /**
   * Counts the parts that could be shared.
   *
   * @param joined whether the rows go into a join, whose order is not chosen yet
   * @return whether this and all below gives the same each time
   */
  private boolean count(RelNode rel, boolean joined) {
    if (rel instanceof RecursiveRel) {
      // Its rounds are plans of their own.
      return false;
    }
    boolean plain = isPlain(rel);
    for (RelNode input : rel.getInputs()) {
      plain &= count(input, goesIntoJoin(rel, joined));
    }
    if (plain && (rel instanceof Aggregate || rel instanceof Join && !joined)) {
      counts.merge(rel.getRelDigest(), 1, Integer::sum);
    }
    return plain;
  }

  private static boolean goesIntoJoin(RelNode rel, boolean joined) {
    return rel instanceof Join || joined && (rel instanceof Project || rel instanceof Filter);
  }

  /** Whether a node gives the same each time, and nobody looks at it on the way. */
  private static boolean isPlain(RelNode rel) {
    boolean known =
        rel instanceof Project
            || rel instanceof Filter
            || rel instanceof Join
            || rel instanceof Aggregate
            || rel instanceof Union
            || rel instanceof Sort
            || rel instanceof Values
            || rel instanceof TableScan scan
                && !RecursiveRel.isWorking(scan.getTable().unwrap(RelationTable.class).relation());
    List<RexNode> expressions = new ArrayList<>();
    if (rel instanceof Project p) {
      expressions.addAll(p.getProjects());
    } else if (rel instanceof Filter f) {
      expressions.add(f.getCondition());
    } else if (rel instanceof Join j) {
      expressions.add(j.getCondition());
    }
    return known
        && rel.getVariablesSet().isEmpty()
        && expressions.stream()
            .allMatch(e -> RexUtil.isDeterministic(e) && !RexUtil.containsCorrelation(e));
  }

  private RelNode replaced(RelNode rel, boolean joined) {
    boolean apart = !(rel instanceof Join && joined);
    if (apart && counts.getOrDefault(rel.getRelDigest(), 0) > 1 && isWorthIt(rel)) {
      return scan(
          parts.computeIfAbsent(
              rel.getRelDigest(),
              d -> new Part("part " + (parts.size() + 1), rel, estimates.of(rel))),
          rel);
    }
    if (rel instanceof RecursiveRel) {
      return rel;
    }
    List<RelNode> inputs = new ArrayList<>();
    for (RelNode input : rel.getInputs()) {
      inputs.add(replaced(input, goesIntoJoin(rel, joined)));
    }
    return inputs.equals(rel.getInputs()) ? rel : rel.copy(rel.getTraitSet(), inputs);
  }

  private boolean isWorthIt(RelNode rel) {
    double read = rowsRead(rel);
    return read >= LEAST_READ && estimates.rows(rel) * LEAST_READ_A_ROW <= read;
  }

  private static double rowsRead(RelNode rel) {
    return rel instanceof TableScan
        ? rel.getTable().unwrap(RelationTable.class).relation().rowCount()
        : rel.getInputs().stream().mapToDouble(SharedParts::rowsRead).sum();
  }

  private RelNode scan(Part part, RelNode rel) {
    return LogicalTableScan.create(
        rel.getCluster(),
        RelOptTableImpl.create(
            null, rel.getRowType(), new RelationTable(part), ImmutableList.of(part.name)),
        List.of());
  }

  /** Adds the columns of a part that are read. */
  private static void columns(RelNode rel, Part part, TreeSet<Integer> out) {
    if (rel instanceof Project project) {
      Optional<ScanRead> read = ScanRead.of(project);
      if (read.isPresent()) {
        if (isOf(read.get().scan(), part)) {
          out.addAll(read.get().columns());
        }
        return;
      }
    }
    if (isOf(rel, part)) {
      IntStream.range(0, rel.getRowType().getFieldCount()).forEach(out::add);
    }
    rel.getInputs().forEach(input -> columns(input, part, out));
  }

  private static boolean isOf(RelNode rel, Part part) {
    return of(rel).equals(Optional.of(part));
  }
}

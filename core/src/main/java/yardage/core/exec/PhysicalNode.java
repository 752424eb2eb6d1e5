package yardage.core.exec;

import java.util.List;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.expr.Expression;

/**
 * A node of a physical plan: what is computed, and for which step it is counted. Closed because
 * {@link Executor} gives each kind its place in stages, as a {@link Visitor}.
 */
public sealed interface PhysicalNode {
  Schema schema();

  /** One answer for each kind of node: a new kind does not compile before everybody has one. */
  interface Visitor<R> {
    R scan(Scan scan);

    R filter(Filter filter);

    R project(Project project);

    R join(HashJoin join);

    R aggregate(Aggregate aggregate);

    R dedupe(Deduplicate dedupe);

    R union(Union union);

    R sort(Sort sort);

    R border(Border border);

    R shared(Shared shared);

    R apply(Apply apply);

    R whole(Whole whole);
  }

  <R> R accept(Visitor<R> visitor);

  /** Reads a source. The scan itself counts records in, set aside and out. */
  record Scan(ScanSource source, Schema schema, StepTally tally) implements PhysicalNode {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.scan(this);
    }
  }

  record Filter(PhysicalNode input, Expression condition, StepTally tally) implements PhysicalNode {

    @Override
    public Schema schema() {
      return input.schema();
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.filter(this);
    }
  }

  record Project(PhysicalNode input, List<Expression> expressions, Schema schema)
      implements PhysicalNode {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.project(this);
    }
  }

  /**
   * An equality join. {@code residual} sees the left columns, then the right ones, and decides
   * together with the keys whether a pair matches. SEMI and ANTI give the left columns only. Null
   * keys match nothing.
   */
  record HashJoin(
      PhysicalNode left,
      PhysicalNode right,
      JoinKind kind,
      int[] leftKeys,
      int[] rightKeys,
      Optional<Expression> residual,
      Schema schema,
      StepTally tally,
      boolean mainIsRight)
      implements PhysicalNode {

    /** A join whose main input is the left one, as the step's account means it. */
    public HashJoin(
        PhysicalNode left,
        PhysicalNode right,
        JoinKind kind,
        int[] leftKeys,
        int[] rightKeys,
        Optional<Expression> residual,
        Schema schema,
        StepTally tally) {
      this(left, right, kind, leftKeys, rightKeys, residual, schema, tally, false);
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.join(this);
    }
  }

  /** Which rows a join gives. */
  enum JoinKind {
    INNER,
    LEFT,
    RIGHT,
    FULL,
    SEMI,
    ANTI;

    public boolean keepsLeft() {
      return this == LEFT || this == FULL;
    }

    public boolean keepsRight() {
      return this == RIGHT || this == FULL;
    }
  }

  /**
   * Groups by columns (none: one group, there even without rows) and aggregates; gives the keys,
   * then the results.
   */
  record Aggregate(
      PhysicalNode input, int[] keys, List<AggregateCall> calls, Schema schema, StepTally tally)
      implements PhysicalNode {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.aggregate(this);
    }
  }

  /** Keeps one row per key: the first by {@code order}, then by place in the input; or the last. */
  record Deduplicate(
      PhysicalNode input, int[] keys, List<SortKey> order, boolean keepLast, StepTally tally)
      implements PhysicalNode {

    @Override
    public Schema schema() {
      return input.schema();
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.dedupe(this);
    }
  }

  /** All rows of all inputs, which have the same column types. */
  record Union(List<PhysicalNode> inputs, Schema schema) implements PhysicalNode {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.union(this);
    }
  }

  /**
   * Sorts and cuts; {@code fetch} negative for no limit. Without keys the order of the input stays.
   */
  record Sort(PhysicalNode input, List<SortKey> keys, long offset, long fetch, StepTally tally)
      implements PhysicalNode {

    @Override
    public Schema schema() {
      return input.schema();
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.sort(this);
    }
  }

  /**
   * A border between steps: rows go out of one and into the other, whose right input it is if
   * {@code right}.
   */
  record Border(
      PhysicalNode input, Optional<StepTally> outOf, Optional<StepTally> into, boolean right)
      implements PhysicalNode {

    @Override
    public Schema schema() {
      return input.schema();
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.border(this);
    }
  }

  /** A result computed once and kept in memory for several readers, who pass the same instance. */
  record Shared(PhysicalNode input, StepTally tally) implements PhysicalNode {

    @Override
    public Schema schema() {
      return input.schema();
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.shared(this);
    }
  }

  /** Rows to rows, a batch at a time. */
  record Apply(PhysicalNode input, RowStep step, Schema schema, StepTally tally)
      implements PhysicalNode {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.apply(this);
    }
  }

  /** All rows to all rows, once they are all there. */
  record Whole(PhysicalNode input, WholeStep step, String what, Schema schema, StepTally tally)
      implements PhysicalNode {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.whole(this);
    }
  }

  /** A column to sort by. */
  record SortKey(int ordinal, boolean descending, boolean nullsFirst) {
    /** Nulls first, or last when descending: where nothing else is said. */
    public static SortKey of(int ordinal, boolean descending) {
      return new SortKey(ordinal, descending, !descending);
    }
  }

  /**
   * One aggregate function.
   *
   * @param argument ordinal of the input column, -1 for {@code count(*)}
   * @param filter ordinal of a boolean column that picks the rows, -1 for all
   * @param order in which values are looked at, where that matters
   * @param parameter a constant: what stands between joined texts, the share of a percentile
   */
  record AggregateCall(
      Function function,
      int argument,
      boolean distinct,
      int filter,
      yardage.core.column.Type type,
      List<SortKey> order,
      String parameter) {
    public AggregateCall(
        Function function,
        int argument,
        boolean distinct,
        int filter,
        yardage.core.column.Type type) {
      this(function, argument, distinct, filter, type, List.of(), "");
    }

    /** The functions. */
    public enum Function {
      COUNT,
      SUM,
      MIN,
      MAX,
      AVG,
      /** Variance and its root, over all rows or as of a sample. */
      VAR_POP,
      VAR_SAMP,
      STDDEV_POP,
      STDDEV_SAMP,
      /** The first and the last value by an order. */
      FIRST,
      LAST,
      /** The value that is there most often. */
      MODE,
      /** Texts with something between them. */
      JOINED,
      PERCENTILE,
      LIST,
      /** The one value of a scalar subquery; a second row is an error. */
      SINGLE_VALUE
    }
  }
}

package yardage.core.plan;

import java.util.List;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.expr.Expression;

/**
 * A node of a plan: what is computed, and for which step it is counted. Closed because {@link
 * StageCutter} gives each kind its place in stages, as a {@link Visitor}.
 */
public sealed interface PlanNode {
  /** The step of what is counted nowhere. */
  String UNTOLD = "";

  Schema schema();

  /** One answer for each kind of node: a new kind does not compile before everybody has one. */
  interface Visitor<R> {
    R scan(Scan scan);

    R filter(Filter filter);

    R project(Project project);

    R join(Join join);

    R aggregate(Aggregate aggregate);

    R dedupe(Deduplicate dedupe);

    R union(Union union);

    R sort(Sort sort);

    R border(Border border);

    R kept(Kept kept);

    R apply(Apply apply);

    R whole(Whole whole);
  }

  <R> R accept(Visitor<R> visitor);

  /** A node that takes all rows before it gives one. */
  sealed interface Gathering extends PlanNode {
    Spec spec();

    @Override
    default Schema schema() {
      return spec().schema();
    }
  }

  /** Reads a source. The scan itself counts records in, set aside and out. */
  record Scan(ScanDescription source, Schema schema, String step) implements PlanNode {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.scan(this);
    }
  }

  /**
   * @param single the parts of the condition that look at one column each; none where somebody
   *     counts the rows that come in
   */
  record Filter(PlanNode input, Expression condition, List<ColumnCondition> single, String step)
      implements PlanNode {
    public Filter {
      single = List.copyOf(single);
    }

    @Override
    public Schema schema() {
      return input.schema();
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.filter(this);
    }
  }

  record Project(PlanNode input, List<Expression> expressions, Schema schema) implements PlanNode {
    public Project {
      expressions = List.copyOf(expressions);
      if (expressions.size() != schema.size()) {
        throw new IllegalArgumentException(
            "%d expressions for %d columns".formatted(expressions.size(), schema.size()));
      }
      for (int c = 0; c < expressions.size(); c++) {
        if (!expressions.get(c).type().equals(schema.field(c).type())) {
          throw new IllegalArgumentException(
              "[%s] gives %s where column [%s] is %s"
                  .formatted(
                      expressions.get(c),
                      expressions.get(c).type(),
                      schema.field(c).name(),
                      schema.field(c).type()));
        }
      }
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.project(this);
    }
  }

  record Join(PlanNode left, PlanNode right, JoinSpec spec) implements Gathering {
    /** A join whose main input is the left one, unless it gives right rows alone. */
    public Join(
        PlanNode left,
        PlanNode right,
        JoinKind kind,
        int[] leftKeys,
        int[] rightKeys,
        Optional<Expression> residual,
        Schema schema,
        String step) {
      this(
          left,
          right,
          new JoinSpec(
              step,
              kind,
              leftKeys,
              rightKeys,
              residual,
              left.schema(),
              right.schema(),
              schema,
              !kind.givesLeft(),
              false,
              false));
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.join(this);
    }
  }

  record Aggregate(PlanNode input, AggregateSpec spec) implements Gathering {
    public Aggregate(
        PlanNode input, int[] keys, List<AggregateCall> calls, Schema schema, String step) {
      this(input, new AggregateSpec(step, keys, calls, input.schema(), schema));
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.aggregate(this);
    }
  }

  record Deduplicate(PlanNode input, DedupeSpec spec) implements Gathering {
    public Deduplicate(
        PlanNode input, int[] keys, List<SortKey> order, boolean keepLast, String step) {
      this(input, new DedupeSpec(step, keys, order, keepLast, input.schema()));
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.dedupe(this);
    }
  }

  /** All rows of all inputs, which have the same column types. */
  record Union(List<PlanNode> inputs, Schema schema) implements PlanNode {
    public Union {
      inputs = List.copyOf(inputs);
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.union(this);
    }
  }

  record Sort(PlanNode input, SortSpec spec) implements Gathering {
    public Sort(PlanNode input, List<SortKey> keys, long offset, long fetch, String step) {
      this(input, new SortSpec(step, keys, offset, fetch, input.schema()));
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
  record Border(PlanNode input, Optional<String> outOf, Optional<String> into, boolean right)
      implements PlanNode {
    @Override
    public Schema schema() {
      return input.schema();
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.border(this);
    }
  }

  /**
   * A result computed once and kept for several readers, who name it alike.
   *
   * @param name unlike that of any other in the plans that run together
   */
  record Kept(PlanNode input, String name, String step) implements PlanNode {
    @Override
    public Schema schema() {
      return input.schema();
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.kept(this);
    }
  }

  /** Rows to rows, a batch at a time. */
  record Apply(PlanNode input, RowDescription what, Schema schema, String step)
      implements PlanNode {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.apply(this);
    }
  }

  /** All rows to all rows. */
  record Whole(PlanNode input, WholeSpec spec) implements Gathering {
    public Whole(
        PlanNode input, WholeDescription what, String purpose, Schema schema, String step) {
      this(input, new WholeSpec(step, what, purpose, input.schema(), schema));
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.whole(this);
    }
  }
}

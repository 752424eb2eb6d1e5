package yardage.core.sql;

import java.util.ArrayList;
import java.util.Collections;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.Function;
import org.apache.calcite.plan.RelOptSamplingParameters;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.rel.RelFieldCollation;
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
import org.apache.calcite.rex.RexLiteral;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexOver;
import org.apache.calcite.rex.RexUtil;
import org.apache.calcite.sql.SqlKind;
import org.apache.calcite.util.ImmutableBitSet;
import yardage.core.column.*;
import yardage.core.exec.ReadAgain;
import yardage.core.expr.Cast;
import yardage.core.expr.Expression;
import yardage.core.expr.Literal;
import yardage.core.plan.ColumnCondition;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.GivenRows;
import yardage.core.plan.JoinKind;
import yardage.core.plan.PlanNode;
import yardage.core.plan.Recursion;
import yardage.core.plan.SharedExpressions;
import yardage.core.plan.SortKey;
import yardage.core.plan.SortSpec;
import yardage.core.step.SampleStep;

/** Algebra to physical nodes. */
public final class PhysicalPlanner {
  private final RexBuilder rexBuilder;
  private final RexTranslator rex;
  private final Estimates estimates;
  private final AggregatePlan aggregates;

  /** Tells apart what several grouping levels read. */
  private final AtomicInteger keptLevels = new AtomicInteger();

  PhysicalPlanner(RexBuilder rexBuilder) {
    this.rexBuilder = rexBuilder;
    this.rex = new RexTranslator(rexBuilder);
    this.estimates = new Estimates(rexBuilder);
    this.aggregates = new AggregatePlan(rex);
  }

  /**
   * @param step whose operators the top ones are
   * @param hints what each step that a border in {@code rel} names says of its join
   * @throws UnsupportedSqlException for what the engine cannot do
   */
  public PlanNode plan(RelNode rel, String step, Function<String, JoinHints> hints) {
    return new Visit(hints, Optional.empty()).node(rel, step);
  }

  /**
   * A query of which each part is a step of its own.
   *
   * @param step into which the rows of the query go
   * @param parts the name of each part's step
   */
  PlanNode inParts(RelNode rel, String step, Function<RelNode, String> parts) {
    return new Visit(name -> JoinHints.QUERY, Optional.of(parts)).node(rel, step);
  }

  /** A query of one step. */
  public PlanNode plan(RelNode rel, String step) {
    return plan(rel, step, name -> JoinHints.QUERY);
  }

  /** How many rows there are, where nothing else is asked and a table knows it. */
  static OptionalLong toldRows(Aggregate aggregate) {
    return aggregate.getInput() instanceof TableScan scan && Visit.countsRows(aggregate)
        ? scan.getTable().unwrap(RelationTable.class).relation().exactRowCount()
        : OptionalLong.empty();
  }

  private final class Visit {
    private final Function<String, JoinHints> hints;

    private final Optional<Function<RelNode, String>> parts;

    /** Those that are read already. */
    private final Set<SharedParts.Part> sharedParts = new HashSet<>();

    Visit(Function<String, JoinHints> hints, Optional<Function<RelNode, String>> parts) {
      this.hints = hints;
      this.parts = parts;
    }

    PlanNode node(RelNode rel, String step) {
      if (parts.isEmpty()) {
        return made(rel, step);
      }
      String part = parts.get().apply(rel);
      return new PlanNode.Border(made(rel, part), Optional.of(part), Optional.of(step), false);
    }

    private PlanNode made(RelNode rel, String step) {
      if (rel instanceof StepBorder border) {
        return new PlanNode.Border(
            node(border.getInput(), border.outOf().orElse(step)),
            border.outOf(),
            border.into(),
            border.right());
      } else if (rel instanceof KeepOne keep) {
        return new PlanNode.Deduplicate(
            node(keep.getInput(), step), keep.keys(), keep.order(), keep.last(), step);
      } else if (rel instanceof OwnStep own) {
        return own.make().apply(node(own.getInput(), step), step);
      } else if (rel instanceof Sample sample) {
        return sample(sample, step);
      } else if (rel instanceof RecursiveRel recursive) {
        return recursive(recursive, step);
      } else if (rel instanceof TableScan scan) {
        return scan(scan, allColumns(scan), List.of(), step);
      } else if (rel instanceof Filter filter) {
        return filter(filter, step);
      } else if (rel instanceof Project project) {
        return project(project, step);
      } else if (rel instanceof Join join) {
        return join(join, step);
      } else if (rel instanceof Aggregate aggregate) {
        return aggregate(aggregate, step);
      } else if (rel instanceof Union union) {
        return union(union, step);
      } else if (rel instanceof Sort sort) {
        return sort(sort, step);
      } else if (rel instanceof Values values) {
        return values(values, step);
      }
      throw new UnsupportedSqlException(
          "This part of SQL is not supported yet: " + called(rel.getRelTypeName()));
    }

    /**
     * Each row is in or out by itself, or, where it has to be the same each time, by a hash of all
     * its values and the seed: then rows that are the same in all columns go together.
     */
    private PlanNode sample(Sample rel, String step) {
      RelOptSamplingParameters asked = rel.getSamplingParameters();
      long seed = asked.isRepeatable() ? asked.getRepeatableSeed() : System.nanoTime();
      PlanNode input = node(rel.getInput(), step);
      int[] by = asked.isRepeatable() ? input.schema().ordinals() : new int[0];
      return new PlanNode.Apply(
          input, new SampleStep(by, asked.sampleRate.doubleValue(), seed), input.schema(), step);
    }

    private PlanNode recursive(RecursiveRel rel, String step) {
      Schema schema = SqlTypes.schema(rel.getRowType());
      return new PlanNode.Whole(
          typed(node(rel.getLeft(), step), schema),
          new Recursion(rel.name(), typed(node(rel.getRight(), step), schema), rel.keepsAll()),
          "the rows of a query that names itself",
          schema,
          step);
    }

    /** The same columns in the types of a schema; the input itself where it has them. */
    private static PlanNode typed(PlanNode input, Schema schema) {
      List<Expression> out = new ArrayList<>();
      boolean same = true;
      for (int c = 0; c < schema.size(); c++) {
        Type have = input.schema().field(c).type();
        same &= have.equals(schema.field(c).type());
        out.add(Cast.ifNeeded(Expression.input(c, have), schema.field(c).type()));
      }
      return same ? input : new PlanNode.Project(input, out, schema);
    }

    /** What people write for it. */
    private static String called(String relType) {
      String name = relType.replace("Logical", "");
      return switch (name) {
        case "Match" -> "MATCH_RECOGNIZE";
        default -> name.toLowerCase(java.util.Locale.ROOT);
      };
    }

    private int[] allColumns(RelNode rel) {
      return java.util.stream.IntStream.range(0, rel.getRowType().getFieldCount()).toArray();
    }

    private PlanNode scan(
        TableScan scan, int[] columns, List<ColumnPredicate> predicates, String step) {
      Optional<SharedParts.Part> part = SharedParts.of(scan);
      if (part.isPresent()) {
        return shared(part.get(), columns, step);
      }
      return scan.getTable().unwrap(RelationTable.class).relation().read(columns, predicates, step);
    }

    /** The rows of a part that is read more than once; they are counted each time. */
    private PlanNode shared(SharedParts.Part part, int[] columns, String step) {
      PlanNode kept = new PlanNode.Kept(node(part.rel(), step), "shared " + part.name(), step);
      if (!sharedParts.add(part)) {
        kept = new PlanNode.Apply(kept, new ReadAgain(), kept.schema(), step);
      }
      List<Expression> read = new ArrayList<>();
      for (int column : columns) {
        int place = part.place(column);
        read.add(Expression.input(place, kept.schema().field(place).type()));
      }
      return new PlanNode.Project(kept, read, part.schema().project(columns));
    }

    private PlanNode filter(Filter filter, String step) {
      PlanNode input =
          filter.getInput() instanceof TableScan scan
              ? scan(scan, allColumns(scan), predicates(filter.getCondition(), scan), step)
              : node(filter.getInput(), step);
      return filtered(input, filter.getCondition(), step);
    }

    private PlanNode filtered(PlanNode input, RexNode condition, String step) {
      List<ColumnCondition> single =
          hints.apply(step).counts() ? List.of() : ofOneColumn(condition);
      return new PlanNode.Filter(input, rex.translate(condition), single, step);
    }

    /** The parts of a condition, all of which have to be met, that look at one column each. */
    private List<ColumnCondition> ofOneColumn(RexNode condition) {
      List<ColumnCondition> out = new ArrayList<>();
      for (RexNode part : RelOptUtil.conjunctions(condition)) {
        ImmutableBitSet columns = RelOptUtil.InputFinder.bits(part);
        if (columns.cardinality() == 1 && RexUtil.isDeterministic(part)) {
          out.add(
              new ColumnCondition(
                  columns.nth(0), rex.translate(Refs.within(part, columns.asList()))));
        }
      }
      return out;
    }

    private PlanNode project(Project project, String step) {
      // Over a scan, or a filter over a scan, only the columns that are used are read.
      Optional<ScanRead> read = ScanRead.of(project);
      if (read.isPresent()) {
        TableScan scan = read.get().scan();
        Optional<RexNode> condition = read.get().condition();
        List<Integer> place = read.get().columns();
        int[] columns = place.stream().mapToInt(Integer::intValue).toArray();
        PlanNode input =
            scan(scan, columns, condition.map(c -> predicates(c, scan)).orElse(List.of()), step);
        if (condition.isPresent()) {
          input = filtered(input, Refs.within(condition.get(), place), step);
        }
        return projected(
            input,
            project.getProjects().stream().map(p -> Refs.within(p, place)).toList(),
            project,
            step);
      }
      return projected(node(project.getInput(), step), project.getProjects(), project, step);
    }

    private PlanNode projected(
        PlanNode input, List<RexNode> expressions, Project project, String step) {
      if (expressions.stream().anyMatch(RexOver::containsOver)) {
        WindowPlan windows = new WindowPlan(rexBuilder, rex, input, expressions);
        return new PlanNode.Project(
            windows.node(step),
            windows.results(SqlTypes.schema(project.getRowType())),
            SqlTypes.schema(project.getRowType()));
      }
      Schema schema = SqlTypes.schema(project.getRowType());
      List<Expression> out = new ArrayList<>();
      for (int i = 0; i < expressions.size(); i++) {
        out.add(Cast.ifNeeded(rex.translate(expressions.get(i)), schema.field(i).type()));
      }
      return SharedExpressions.project(input, out, schema);
    }

    private PlanNode join(Join join, String step) {
      List<Integer> leftKeys = new ArrayList<>();
      List<Integer> rightKeys = new ArrayList<>();
      List<Boolean> dropNulls = new ArrayList<>();
      RexNode rest =
          RelOptUtil.splitJoinCondition(
              join.getLeft(), join.getRight(), join.getCondition(), leftKeys, rightKeys, dropNulls);
      List<JoinPlan.Key> keys = new ArrayList<>();
      for (int k = 0; k < leftKeys.size(); k++) {
        keys.add(new JoinPlan.Key(leftKeys.get(k), rightKeys.get(k), !dropNulls.get(k)));
      }
      JoinKind kind =
          switch (join.getJoinType()) {
            case INNER -> JoinKind.INNER;
            case LEFT -> JoinKind.LEFT;
            case RIGHT -> JoinKind.RIGHT;
            case FULL -> JoinKind.FULL;
            case SEMI -> JoinKind.SEMI;
            case ANTI -> JoinKind.ANTI;
            default ->
                throw new UnsupportedSqlException(
                    "Joins of kind [%s] are not supported".formatted(join.getJoinType()));
          };
      return new JoinPlan(
              node(join.getLeft(), step),
              node(join.getRight(), step),
              kind,
              keys,
              rest,
              SqlTypes.schema(join.getRowType()),
              step)
          .node(rex, hints.apply(step), leftIsMuchSmaller(join));
    }

    /**
     * Whether the look-up had better be built on the left side; where the right one is another
     * step's, its count depends on which side is which.
     */
    private boolean leftIsMuchSmaller(Join join) {
      if (join.getRight() instanceof StepBorder || join.getHints().contains(JoinOrder.PLACED)) {
        return false;
      }
      return estimates.rows(join.getLeft()) * 2 < estimates.rows(join.getRight());
    }

    private PlanNode aggregate(Aggregate aggregate, String step) {
      if (aggregate.getInput() instanceof TableScan scan && countsRows(aggregate)) {
        return counted(aggregate, scan, step);
      }
      PlanNode input = node(aggregate.getInput(), step);
      if (aggregate.getGroupSets().size() == 1) {
        return aggregates.of(aggregate, input, aggregate.getGroupSet(), step);
      }
      // Several grouping levels: the input is read once for each, and counted so.
      PlanNode once =
          new PlanNode.Kept(input, step + " levels " + keptLevels.incrementAndGet(), step);
      List<PlanNode> levels = new ArrayList<>();
      for (ImmutableBitSet level : aggregate.getGroupSets()) {
        PlanNode again =
            levels.isEmpty()
                ? once
                : new PlanNode.Apply(once, new ReadAgain(), once.schema(), step);
        levels.add(aggregates.of(aggregate, again, level, step));
      }
      return new PlanNode.Union(levels, SqlTypes.schema(aggregate.getRowType()));
    }

    /** Whether nothing is asked but how many rows there are. */
    private static boolean countsRows(Aggregate aggregate) {
      return aggregate.getGroupCount() == 0
          && aggregate.getGroupSets().size() == 1
          && !aggregate.getAggCallList().isEmpty()
          && aggregate.getAggCallList().stream()
              .allMatch(
                  c ->
                      c.getAggregation().getKind() == SqlKind.COUNT
                          && c.getArgList().isEmpty()
                          && c.filterArg < 0);
    }

    /** The rows of a table are told without reading it, or by its narrowest column. */
    private PlanNode counted(Aggregate aggregate, TableScan scan, String step) {
      Relation relation = scan.getTable().unwrap(RelationTable.class).relation();
      OptionalLong known = toldRows(aggregate);
      if (known.isPresent()) {
        Schema schema = SqlTypes.schema(aggregate.getRowType());
        Column count = Literal.of(Type.BIGINT, known.getAsLong()).column(1);
        Batch row = new Batch(Collections.nCopies(schema.size(), count), 1, 0);
        return new PlanNode.Scan(GivenRows.of(schema, List.of(row)), schema, step);
      }
      List<Schema.Field> fields = relation.schema().fields();
      int narrowest = 0;
      for (int i = 1; i < fields.size(); i++) {
        if (width(fields.get(i).type()) < width(fields.get(narrowest).type())) {
          narrowest = i;
        }
      }
      PlanNode rows = scan(scan, new int[] {narrowest}, List.of(), step);
      return aggregates.of(aggregate, rows, aggregate.getGroupSet(), step);
    }

    private static int width(Type type) {
      return switch (type.held()) {
        case TRUTHS -> 1;
        case INTS -> 4;
        case LONGS, DOUBLES -> 8;
        case WIDES, BYTES -> 16;
        case STRUCTS, LISTS -> 64;
      };
    }

    private PlanNode union(Union union, String step) {
      Schema schema = SqlTypes.schema(union.getRowType());
      List<PlanNode> inputs = new ArrayList<>();
      for (RelNode input : union.getInputs()) {
        inputs.add(typed(node(input, step), schema));
      }
      PlanNode all = new PlanNode.Union(inputs, schema);
      return union.all
          ? all
          : new PlanNode.Aggregate(all, allColumns(union), List.of(), schema, step);
    }

    private PlanNode sort(Sort sort, String step) {
      List<SortKey> keys = keys(sort.getCollation().getFieldCollations());
      long offset = sort.offset == null ? 0 : RexLiteral.intValue(sort.offset);
      long fetch = sort.fetch == null ? -1 : ((RexLiteral) sort.fetch).getValueAs(Long.class);
      PlanNode input = node(sort.getInput(), step);
      boolean stops = fetch >= 0 && !hints.apply(step).counts();
      return new PlanNode.Sort(
          input, new SortSpec(step, keys, offset, fetch, stops, input.schema()));
    }

    private PlanNode values(Values values, String step) {
      Schema schema = SqlTypes.schema(values.getRowType());
      List<Column> columns = new ArrayList<>();
      for (int c = 0; c < schema.size(); c++) {
        ColumnBuilder builder = ColumnBuilder.of(schema.field(c).type());
        for (List<RexLiteral> row : values.getTuples()) {
          builder.append(RexTranslator.literal(row.get(c), schema.field(c).type()).column(1), 0);
        }
        columns.add(builder.build());
      }
      Batch batch = new Batch(columns, values.getTuples().size(), 0);
      return new PlanNode.Scan(GivenRows.of(schema, List.of(batch)), schema, step);
    }

    private List<ColumnPredicate> predicates(RexNode condition, TableScan scan) {
      return new ScanPredicates(rexBuilder, scan.getRowType().getFieldNames()).of(condition);
    }
  }

  static List<SortKey> keys(List<RelFieldCollation> collations) {
    return collations.stream()
        .map(c -> key(c.getFieldIndex(), c.getDirection(), c.nullDirection))
        .toList();
  }

  /** Nulls are larger than all else where nothing is said. */
  static SortKey key(
      int column, RelFieldCollation.Direction direction, RelFieldCollation.NullDirection nulls) {
    boolean descending = direction.isDescending();
    boolean nullsFirst =
        nulls == RelFieldCollation.NullDirection.FIRST
            || nulls == RelFieldCollation.NullDirection.UNSPECIFIED && descending;
    return new SortKey(column, descending, nullsFirst);
  }

  /** The type in which two join keys compare. */
  static Type common(Type a, Type b) {
    if (a.isNumeric() && b.isNumeric()) {
      return NumberTypes.common(a, b);
    }
    if (a.kind() == Type.Kind.DATE && b.kind() == Type.Kind.TIMESTAMP
        || a.kind() == Type.Kind.TIMESTAMP && b.kind() == Type.Kind.DATE) {
      return Type.TIMESTAMP;
    }
    throw new UnsupportedSqlException(
        "A join cannot compare %s with %s; cast one of them".formatted(a, b));
  }
}

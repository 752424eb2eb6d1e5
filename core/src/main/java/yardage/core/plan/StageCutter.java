package yardage.core.plan;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.function.IntUnaryOperator;
import java.util.stream.Stream;
import yardage.core.expr.Expression;

/**
 * Cuts plans into stages: at every node that takes all rows before it gives one. Pure, and the same
 * for the same plans.
 */
public final class StageCutter {
  private final List<Stage> stages = new ArrayList<>();
  private final Map<String, Integer> kept = new HashMap<>();

  private StageCutter() {}

  /** A plan and where its rows end. */
  public record Root(PlanNode plan, Output output) {}

  /**
   * The stages of some plans that run together, each behind those that it needs; a stage's number
   * is its place. Plans that hold a {@link PlanNode.Kept} of one name share its stage.
   */
  public static List<Stage> cut(List<Root> roots) {
    StageCutter cutter = new StageCutter();
    roots.forEach(r -> cutter.stage(r.plan(), r.output(), List.of()));
    return List.copyOf(cutter.stages);
  }

  /**
   * @param sought of the plan's rows
   */
  private int stage(PlanNode plan, Output output, List<Sought> sought) {
    List<List<Stage.Chain>> phases = phases(plan, sought);
    stages.add(new Stage(stages.size(), phases, output));
    return stages.size() - 1;
  }

  private List<List<Stage.Chain>> phases(PlanNode node, List<Sought> sought) {
    return node.accept(new Phases(sought));
  }

  private static List<List<Stage.Chain>> rows(int stage, String step) {
    return List.of(List.of(new Stage.Chain(step, new Input.Rows(stage), List.of())));
  }

  private static List<List<Stage.Chain>> append(
      List<List<Stage.Chain>> phases, Operation operation) {
    return phases.stream()
        .map(phase -> phase.stream().map(chain -> with(chain, operation)).toList())
        .toList();
  }

  private static Stage.Chain with(Stage.Chain chain, Operation operation) {
    List<Operation> more = new ArrayList<>(chain.operations());
    more.add(operation);
    return new Stage.Chain(chain.step(), chain.input(), more);
  }

  /**
   * The phases of the stage that a node is in; the stages below it are made on the way. What is
   * sought of its rows is handed down to the scans: through a group where it is about what is
   * grouped by, and from one side of a join to the other where it is about keys, which are equal.
   */
  private final class Phases implements PlanNode.Visitor<List<List<Stage.Chain>>> {
    private final List<Sought> sought;

    /**
     * @param sought of the node's rows
     */
    Phases(List<Sought> sought) {
      this.sought = sought;
    }

    /** What is sought of the rows below, of which {@code origin} says where each column is. */
    private List<Sought> below(IntUnaryOperator origin) {
      List<Sought> out = new ArrayList<>();
      for (Sought s : sought) {
        int column = origin.applyAsInt(s.column());
        if (column >= 0) {
          out.add(s.at(column));
        }
      }
      return out;
    }

    /** As {@link #below}, of rows that are read before this stage begins, or as another column. */
    private List<Sought> elsewhere(IntUnaryOperator origin) {
      return below(origin).stream().filter(s -> !(s instanceof FirstInOrder)).toList();
    }

    private List<Sought> and(List<? extends Sought> more) {
      return Stream.concat(more.stream(), sought.stream()).distinct().toList();
    }

    @Override
    public List<List<Stage.Chain>> scan(PlanNode.Scan scan) {
      return List.of(
          List.of(
              new Stage.Chain(scan.step(), new Input.Scanned(scan.source(), sought), List.of())));
    }

    @Override
    public List<List<Stage.Chain>> filter(PlanNode.Filter filter) {
      return append(
          phases(filter.input(), and(filter.single())),
          new Operation.Filter(filter.step(), filter.condition()));
    }

    @Override
    public List<List<Stage.Chain>> project(PlanNode.Project project) {
      List<Expression> expressions = project.expressions();
      List<Sought> below =
          below(c -> expressions.get(c) instanceof Expression.Input in ? in.ordinal() : -1);
      return append(phases(project.input(), below), new Operation.Project(expressions));
    }

    @Override
    public List<List<Stage.Chain>> border(PlanNode.Border border) {
      return append(
          phases(border.input(), sought),
          new Operation.Border(border.outOf(), border.into(), border.right()));
    }

    @Override
    public List<List<Stage.Chain>> apply(PlanNode.Apply apply) {
      return append(
          phases(apply.input(), List.of()), new Operation.Apply(apply.step(), apply.what()));
    }

    @Override
    public List<List<Stage.Chain>> union(PlanNode.Union union) {
      List<List<Stage.Chain>> out = new ArrayList<>();
      for (PlanNode input : union.inputs()) {
        List<List<Stage.Chain>> phases = phases(input, sought);
        for (int i = 0; i < phases.size(); i++) {
          if (i == out.size()) {
            out.add(new ArrayList<>());
          }
          out.get(i).addAll(phases.get(i));
        }
      }
      return out;
    }

    @Override
    public List<List<Stage.Chain>> join(PlanNode.Join join) {
      JoinSpec spec = join.spec();
      List<Sought> ofLeft = ofLeft(spec);
      int right = stage(join.right(), new Output.Build(spec), ofRight(spec));
      if (spec.prunes()) {
        for (int k = 0; k < spec.leftKeys().length; k++) {
          ofLeft.add(new HeldKeys(spec.leftKeys()[k], right, k, onlyMarks(join)));
        }
      }
      List<List<Stage.Chain>> phases =
          new ArrayList<>(append(phases(join.left(), ofLeft), new Operation.Probe(right)));
      // Right rows that nothing matched; and all rows, where the join works by parts.
      phases.addAll(rows(right, join.spec().step()));
      return phases;
    }

    /** Whether a left row only tells which right rows have a match, as any other of its key. */
    private static boolean onlyMarks(PlanNode.Join join) {
      PlanNode left = join.left();
      while (left instanceof PlanNode.Project project) {
        left = project.input();
      }
      JoinSpec spec = join.spec();
      return !spec.kind().givesLeft()
          && spec.residual().isEmpty()
          && spec.leftKeys().length == 1
          && left instanceof PlanNode.Scan;
    }

    /**
     * Where right rows without a match come out, a left row that is left out would make one of
     * those.
     */
    private List<Sought> ofLeft(JoinSpec spec) {
      if (spec.kind().keepsRight()) {
        return new ArrayList<>();
      }
      int width = leftWidth(spec);
      List<Sought> out = below(c -> c < width ? c : -1);
      if (spec.kind() == JoinKind.INNER || !spec.kind().givesLeft()) {
        out.addAll(across(spec, spec.rightKeys(), spec.leftKeys(), width));
      }
      return out;
    }

    /** How many left columns come out. */
    private static int leftWidth(JoinSpec spec) {
      return spec.kind().givesLeft() ? spec.left().size() : 0;
    }

    /** A right row whose keys are not sought of the left ones matches none that counts. */
    private List<Sought> ofRight(JoinSpec spec) {
      int width = leftWidth(spec);
      List<Sought> out = new ArrayList<>();
      if (spec.kind() == JoinKind.INNER
          || spec.kind() == JoinKind.RIGHT
          || !spec.kind().givesLeft()) {
        out.addAll(elsewhere(c -> c - width));
      }
      if (!spec.kind().keepsRight() && spec.kind().givesLeft()) {
        out.addAll(across(spec, spec.leftKeys(), spec.rightKeys(), 0));
      }
      return out;
    }

    /**
     * What is sought of one side's keys, of the other's.
     *
     * @param start the place of the first of the one side's columns
     */
    private List<Sought> across(JoinSpec spec, int[] keys, int[] others, int start) {
      List<Sought> out = new ArrayList<>();
      for (int k = 0; k < keys.length; k++) {
        int column = start + keys[k];
        int other = others[k];
        // Numbers with a sign of zero are equal, and not the same.
        if (!spec.left().field(spec.leftKeys()[k]).type().isApproximate()) {
          out.addAll(elsewhere(c -> c == column ? other : -1));
        }
      }
      return out;
    }

    @Override
    public List<List<Stage.Chain>> aggregate(PlanNode.Aggregate aggregate) {
      int[] keys = aggregate.spec().keys();
      List<Sought> ofGroups = elsewhere(c -> c < keys.length ? keys[c] : -1);
      return rows(
          stage(aggregate.input(), new Output.Groups(aggregate.spec()), ofGroups),
          aggregate.spec().step());
    }

    @Override
    public List<List<Stage.Chain>> dedupe(PlanNode.Deduplicate dedupe) {
      int[] keys = dedupe.spec().keys();
      List<Sought> ofKeys = elsewhere(c -> Arrays.stream(keys).anyMatch(key -> key == c) ? c : -1);
      return rows(
          stage(dedupe.input(), new Output.Winners(dedupe.spec()), ofKeys), dedupe.spec().step());
    }

    @Override
    public List<List<Stage.Chain>> sort(PlanNode.Sort sort) {
      SortSpec spec = sort.spec();
      boolean givesAll = spec.fetch() < 0 && spec.offset() == 0;
      return rows(
          stage(sort.input(), new Output.Sorted(spec), givesAll ? sought : firstOf(spec)),
          spec.step());
    }

    private static List<Sought> firstOf(SortSpec spec) {
      if (!spec.stops() || spec.keys().isEmpty()) {
        return List.of();
      }
      SortKey key = spec.keys().get(0);
      // Of fractions what is no number has a place in an order, and none among bounds.
      return spec.schema().field(key.ordinal()).type().isApproximate()
          ? List.of()
          : List.of(new FirstInOrder(key.ordinal(), key.descending(), key.nullsFirst()));
    }

    @Override
    public List<List<Stage.Chain>> whole(PlanNode.Whole whole) {
      return rows(
          stage(whole.input(), new Output.Together(whole.spec()), List.of()), whole.spec().step());
    }

    @Override
    public List<List<Stage.Chain>> kept(PlanNode.Kept node) {
      Integer there = kept.get(node.name());
      int stage =
          there != null
              ? there
              : stage(
                  node.input(),
                  new Output.Kept(node.name(), node.step(), node.schema()),
                  List.of());
      kept.put(node.name(), stage);
      return rows(stage, node.step());
    }
  }
}

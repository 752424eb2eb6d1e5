package yardage.core.plan;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;

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
    roots.forEach(r -> cutter.stage(r.plan(), r.output()));
    return List.copyOf(cutter.stages);
  }

  private int stage(PlanNode plan, Output output) {
    List<List<Stage.Chain>> phases = plan.accept(new Phases());
    stages.add(new Stage(stages.size(), phases, output));
    return stages.size() - 1;
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

  /** The phases of the stage that a node is in; the stages below it are made on the way. */
  private final class Phases implements PlanNode.Visitor<List<List<Stage.Chain>>> {
    private List<List<Stage.Chain>> of(PlanNode node) {
      return node.accept(this);
    }

    @Override
    public List<List<Stage.Chain>> scan(PlanNode.Scan scan) {
      return List.of(
          List.of(new Stage.Chain(scan.step(), new Input.Scanned(scan.source()), List.of())));
    }

    @Override
    public List<List<Stage.Chain>> filter(PlanNode.Filter filter) {
      return append(
          of(filter.input()),
          new Operation.Filter(filter.step(), filter.condition(), filter.single()));
    }

    @Override
    public List<List<Stage.Chain>> project(PlanNode.Project project) {
      return append(of(project.input()), new Operation.Project(project.expressions()));
    }

    @Override
    public List<List<Stage.Chain>> border(PlanNode.Border border) {
      return append(
          of(border.input()), new Operation.Border(border.outOf(), border.into(), border.right()));
    }

    @Override
    public List<List<Stage.Chain>> apply(PlanNode.Apply apply) {
      return append(of(apply.input()), new Operation.Apply(apply.step(), apply.what()));
    }

    @Override
    public List<List<Stage.Chain>> union(PlanNode.Union union) {
      List<List<Stage.Chain>> out = new ArrayList<>();
      for (PlanNode input : union.inputs()) {
        List<List<Stage.Chain>> phases = of(input);
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
      int right = stage(join.right(), new Output.Build(join.spec()));
      List<List<Stage.Chain>> phases =
          new ArrayList<>(append(of(join.left()), new Operation.Probe(right)));
      // Right rows that nothing matched; and all rows, where the join works by parts.
      phases.addAll(rows(right, join.spec().step()));
      return phases;
    }

    @Override
    public List<List<Stage.Chain>> aggregate(PlanNode.Aggregate aggregate) {
      return rows(
          stage(aggregate.input(), new Output.Groups(aggregate.spec())), aggregate.spec().step());
    }

    @Override
    public List<List<Stage.Chain>> dedupe(PlanNode.Deduplicate dedupe) {
      return rows(stage(dedupe.input(), new Output.Winners(dedupe.spec())), dedupe.spec().step());
    }

    @Override
    public List<List<Stage.Chain>> sort(PlanNode.Sort sort) {
      return rows(stage(sort.input(), new Output.Sorted(sort.spec())), sort.spec().step());
    }

    @Override
    public List<List<Stage.Chain>> whole(PlanNode.Whole whole) {
      return rows(stage(whole.input(), new Output.Together(whole.spec())), whole.spec().step());
    }

    @Override
    public List<List<Stage.Chain>> kept(PlanNode.Kept node) {
      Integer there = kept.get(node.name());
      int stage =
          there != null
              ? there
              : stage(node.input(), new Output.Kept(node.name(), node.step(), node.schema()));
      kept.put(node.name(), stage);
      return rows(stage, node.step());
    }
  }
}

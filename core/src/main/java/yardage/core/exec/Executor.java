package yardage.core.exec;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Function;
import yardage.core.column.Batch;
import yardage.core.plan.Output;
import yardage.core.plan.PlanNode;
import yardage.core.plan.Stage;
import yardage.core.plan.StageCutter;
import yardage.core.plan.StageCutter.Root;

/**
 * Runs plans: has them cut into stages, and runs each from its bytes, independent ones at the same
 * time. What a stage holds is given back as soon as the last stage that needs it is over.
 */
public final class Executor {
  private final ExecutionContext context;
  private final Endpoints endpoints;
  private final Function<String, StepTally> tallies;

  /**
   * @param tallies the counters of each step that plans name
   */
  public Executor(
      ExecutionContext context, Endpoints endpoints, Function<String, StepTally> tallies) {
    this.context = context;
    this.endpoints = endpoints;
    this.tallies = tallies;
  }

  /** Told of the end of each plan whose rows are written. */
  public interface Written {
    /**
     * @param root its place among the plans
     * @param target what {@link Endpoints#target} gave
     */
    void done(int root, Sink target);
  }

  /** Runs plans whose rows are written; they share what they keep under one name. */
  public void run(List<Root> roots, Written written) {
    run(roots, new Running(false, Optional.empty(), written));
  }

  /** Runs plans into one sink, perhaps at the same time; it is finished once for each. */
  public void run(List<PlanNode> plans, Sink sink, String step) {
    List<Root> roots =
        plans.stream().map(p -> new Root(p, new Output.Handed(step, p.schema()))).toList();
    run(roots, new Running(false, Optional.of(sink), (root, target) -> {}));
  }

  /** Runs {@code plan} into {@code sink}. */
  public void run(PlanNode plan, Sink sink, String step) {
    run(List.of(plan), sink, step);
  }

  /** Runs {@code plan} and gives its rows, in order. */
  public List<Batch> collect(PlanNode plan, String step) {
    return collect(plan, step, Long.MAX_VALUE);
  }

  /**
   * As {@link #collect(PlanNode, String)}, but stops reading once there are {@code enough} rows; a
   * few more may come. One worker gathers then, so that what is gathered is the beginning of the
   * result.
   */
  public List<Batch> collect(PlanNode plan, String step, long enough) {
    CollectSink sink =
        new CollectSink(plan.schema(), tallies.apply(step), "the result", context, enough);
    Root root = new Root(plan, new Output.Handed(step, plan.schema()));
    boolean alone = enough < Long.MAX_VALUE;
    run(List.of(root), new Running(alone, Optional.of(sink), (r, target) -> {}));
    List<Batch> out = Driver.batches(sink.result());
    sink.release();
    return out;
  }

  /**
   * Runs {@code plan} and keeps its rows on disk, in order; the caller closes them.
   *
   * @param most rows that are kept; reading stops then
   */
  public KeptRows keep(PlanNode plan, String step, long most) {
    KeptRows rows = KeptRows.in(context.scratch(), plan.schema(), tallies.apply(step), most);
    try {
      Root root = new Root(plan, new Output.Handed(step, plan.schema()));
      run(List.of(root), new Running(true, Optional.of(rows.sink()), (r, target) -> {}));
      return rows;
    } catch (RuntimeException e) {
      rows.close();
      throw e;
    }
  }

  private void run(List<Root> roots, Running running) {
    List<Stage> stages =
        StageCutter.cut(roots).stream()
            .map(stage -> endpoints.codec().encode(stage, Stage.class))
            .map(bytes -> endpoints.codec().decode(bytes, Stage.class))
            .toList();
    try {
      new StageGraph(stages, context, running).run();
    } finally {
      release(running.held, Set.of());
    }
  }

  /** What stages hold while others run, and who is told of their ends. */
  private final class Running implements StageGraph.Work {
    private final Map<Integer, Holding> held = new ConcurrentHashMap<>();
    private final Map<Integer, Sink> targets = new ConcurrentHashMap<>();
    private final boolean alone;
    private final Optional<Sink> handed;
    private final Written written;

    /** The ends of plans that nobody was told of yet, and whether they are over. */
    private final SortedMap<Integer, Boolean> ends = new TreeMap<>();

    private int told;

    /**
     * @param alone whether one worker gathers what is handed over
     * @param handed where that goes
     */
    Running(boolean alone, Optional<Sink> handed, Written written) {
      this.alone = alone;
      this.handed = handed;
      this.written = written;
    }

    @Override
    public void begins(List<Stage> stages) {
      stages.stream().filter(s -> s.output().isEnd()).forEach(s -> ends.put(s.id(), false));
    }

    @Override
    public void run(Stage stage, ExecutionContext part) {
      boolean isHanded = stage.output() instanceof Output.Handed;
      StageRunner runner =
          new StageRunner(isHanded && alone ? part.alone() : part, endpoints, tallies, held);
      Sink sink = isHanded ? handed.orElseThrow() : runner.sink(stage.output());
      if (sink instanceof Holding holding) {
        held.put(stage.id(), holding);
      } else {
        targets.put(stage.id(), sink);
      }
      runner.run(stage, sink);
    }

    @Override
    public void over(Stage stage, Set<Integer> neededStill) {
      release(held, neededStill);
      ends.computeIfPresent(stage.id(), (id, was) -> true);
      // In the order of the plans, whichever was the first to end.
      while (!ends.isEmpty() && ends.get(ends.firstKey())) {
        written.done(told++, targets.get(ends.firstKey()));
        ends.remove(ends.firstKey());
      }
    }
  }

  private static void release(Map<Integer, Holding> held, Set<Integer> needed) {
    held.entrySet()
        .removeIf(
            e -> {
              boolean over = !needed.contains(e.getKey());
              if (over) {
                e.getValue().release();
              }
              return over;
            });
  }
}

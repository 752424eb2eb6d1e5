package yardage.core.exec;

import java.nio.file.Path;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Function;
import yardage.core.plan.Output;
import yardage.core.plan.Stage;

/**
 * A stage to be run on its own, wherever: with the stage come the files in which the earlier ones
 * have left what it needs.
 *
 * @param needs one for each stage that this one needs
 * @param frames the file to leave rows in that a later stage, or whoever asked, takes
 */
public record StageTask(Stage stage, List<Need> needs, Path frames) {
  /** What an earlier stage has left. */
  public record Need(int stage, Output output, Path frames) {}

  public StageTask {
    needs = List.copyOf(needs);
  }

  /**
   * Runs it. Rows stay in {@link #frames}, unless they go to a table.
   *
   * @param tallies the counters of each step
   * @return the sink that the rows ended in
   */
  public Sink run(
      ExecutionContext context, Endpoints endpoints, Function<String, StepTally> tallies) {
    Map<Integer, Holding> earlier = new HashMap<>();
    try {
      for (Need need : needs) {
        earlier.put(need.stage(), held(need, context, endpoints, tallies));
      }
      StageRunner runner = new StageRunner(context, endpoints, tallies, earlier);
      if (isPlain(stage.output())) {
        try (FrameFile.Writer writer = new FrameFile.Writer(frames)) {
          runner.run(stage, writer);
          return writer;
        }
      }
      Sink sink = runner.sink(stage.output());
      if (sink instanceof Holding holding) {
        earlier.put(stage.id(), holding);
      }
      runner.run(stage, sink);
      if (sink instanceof Holding holding) {
        try (FrameFile.Writer writer = new FrameFile.Writer(frames)) {
          StepTally tally = tallies.apply(stage.output().step());
          Driver.run(pass(holding.source(), tally, writer), context);
        }
      }
      return sink;
    } finally {
      earlier.values().forEach(Holding::release);
    }
  }

  /** Whether rows are left as they come: a join is built where its left rows are. */
  private static boolean isPlain(Output output) {
    return output instanceof Output.Build
        || output instanceof Output.Kept
        || output instanceof Output.Handed;
  }

  private static Driver.Stage pass(ScanSource source, StepTally tally, Sink sink) {
    return new Driver.Stage(
        List.of(List.of(new Driver.Pipeline(source, tally, List.of()))), sink, tally);
  }

  private static Holding held(
      Need need,
      ExecutionContext context,
      Endpoints endpoints,
      Function<String, StepTally> tallies) {
    ScanSource rows = FrameFile.read(need.frames(), need.output().schema().types());
    if (!(need.output() instanceof Output.Build)) {
      return new Rows(rows);
    }
    Holding join =
        (Holding) new StageRunner(context, endpoints, tallies, Map.of()).sink(need.output());
    boolean built = false;
    try {
      Driver.run(pass(rows, tallies.apply(need.output().step()), join), context);
      built = true;
      return join;
    } finally {
      if (!built) {
        join.release();
      }
    }
  }

  /** Rows that lie in a file. */
  private record Rows(ScanSource source) implements Holding {
    @Override
    public BatchConsumer consumer(Worker worker) {
      throw new UnsupportedOperationException("The rows are there");
    }

    @Override
    public void release() {}
  }
}

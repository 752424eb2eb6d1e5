package yardage.core.exec;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.expr.Expression;
import yardage.core.expr.Logic;
import yardage.core.plan.GivenRows;
import yardage.core.plan.Input;
import yardage.core.plan.Operation;
import yardage.core.plan.Output;
import yardage.core.plan.Recursion;
import yardage.core.plan.RowCondition;
import yardage.core.plan.ScanDescription;
import yardage.core.plan.Stage;

/**
 * Runs a stage from its bytes alone, against memory, scratch and a cancel token that are handed in,
 * and endpoints that open what it names.
 */
final class StageRunner {
  private final ExecutionContext context;
  private final Endpoints endpoints;
  private final Function<String, StepTally> tallies;
  private final Map<Integer, Holding> earlier;

  /**
   * @param tallies the counters of each step
   * @param earlier what the stages gave that this one needs
   */
  StageRunner(
      ExecutionContext context,
      Endpoints endpoints,
      Function<String, StepTally> tallies,
      Map<Integer, Holding> earlier) {
    this.context = context;
    this.endpoints = endpoints;
    this.tallies = tallies;
    this.earlier = earlier;
  }

  /** The sink that a stage ends in, unless whoever runs it has one. */
  Sink sink(Output output) {
    return output.accept(new Sinks());
  }

  /** Runs the stage into a sink, and finishes it. */
  void run(Stage stage, Sink sink) {
    List<List<Driver.Pipeline>> phases = new ArrayList<>();
    for (List<Stage.Chain> phase : stage.phases()) {
      List<Driver.Pipeline> together = new ArrayList<>();
      for (Stage.Chain chain : phase) {
        StepTally tally = tallies.apply(chain.step());
        List<Optional<BitSet>> read = ReadColumns.of(chain, stage.output(), earlier);
        List<RowPath> way = new ArrayList<>();
        for (int i = 0; i < read.size(); i++) {
          way.add(chain.operations().get(i).accept(new Paths(read.get(i))));
        }
        together.add(new Driver.Pipeline(source(chain, tally, sink), tally, way));
      }
      phases.add(together);
    }
    Driver.run(new Driver.Stage(phases, sink, tallies.apply(stage.output().step())), context);
  }

  private ScanSource source(Stage.Chain chain, StepTally tally, Sink sink) {
    return chain
        .input()
        .accept(
            new Input.Visitor<>() {
              @Override
              public ScanSource scanned(Input.Scanned scanned) {
                return scan(
                    scanned.source(), RowConditions.of(scanned.sought(), earlier, sink), tally);
              }

              @Override
              public ScanSource rows(Input.Rows rows) {
                return earlier.get(rows.stage()).source();
              }
            });
  }

  private ScanSource scan(ScanDescription what, List<RowCondition> counting, StepTally tally) {
    return what instanceof GivenRows given
        ? given(given, tally)
        : context.progress().of(endpoints.source(what, counting, tally));
  }

  private static ScanSource given(GivenRows given, StepTally tally) {
    return () ->
        IntStream.range(0, given.frames().size())
            .<ScanSource.Split>mapToObj(
                f ->
                    (worker, out) -> {
                      Batch batch = given.batch(f);
                      tally.rowsIn.add(batch.rowCount());
                      out.accept(batch);
                    })
            .toList();
  }

  /** What each kind of operation does. */
  private final class Paths implements Operation.Visitor<RowPath> {
    private final Optional<BitSet> read;

    /**
     * @param read what is read of the columns that come out; empty for all
     */
    Paths(Optional<BitSet> read) {
      this.read = read;
    }

    @Override
    public RowPath filter(Operation.Filter filter) {
      StepTally tally = tallies.apply(filter.step());
      return (worker, next) ->
          batch -> {
            int[] rows = new int[batch.rowCount()];
            int n = Logic.select((BooleanColumn) filter.condition().evaluate(batch), rows);
            tally.filtered.add(batch.rowCount() - n);
            if (n == batch.rowCount()) {
              next.accept(batch);
            } else if (n > 0) {
              next.accept(batch.gather(rows, n));
            }
          };
    }

    @Override
    public RowPath project(Operation.Project project) {
      List<Expression> expressions = project.expressions();
      return (worker, next) ->
          batch -> {
            List<Column> out = new ArrayList<>(expressions.size());
            for (Expression e : expressions) {
              out.add(e.evaluate(batch));
            }
            next.accept(batch.withColumns(out));
          };
    }

    @Override
    public RowPath border(Operation.Border border) {
      StepTally outOf = border.outOf().map(tallies).orElse(null);
      StepTally into = border.into().map(tallies).orElse(null);
      return (worker, next) ->
          batch -> {
            if (outOf != null) {
              outOf.rowsOut.add(batch.rowCount());
              outOf.watched(batch);
            }
            if (into == null) {
              next.accept(batch);
              return;
            }
            (border.right() ? into.rightIn : into.rowsIn).add(batch.rowCount());
            StepTally before = worker.switchTo(into);
            next.accept(batch);
            worker.switchTo(before);
          };
    }

    @Override
    public RowPath apply(Operation.Apply apply) {
      RowStep step = (RowStep) apply.what();
      StepTally tally = tallies.apply(apply.step());
      step.announce(tally);
      return (worker, next) -> step.bind(tally, next);
    }

    @Override
    public RowPath probe(Operation.Probe probe) {
      return ((JoinSink) earlier.get(probe.stage())).probe(read);
    }
  }

  /** The sink of each kind of output. */
  private final class Sinks implements Output.Visitor<Sink> {
    private StepTally of(Output output) {
      return tallies.apply(output.step());
    }

    @Override
    public Sink build(Output.Build build) {
      return new JoinSink(build.spec(), of(build), context);
    }

    @Override
    public Sink groups(Output.Groups groups) {
      return new AggregateSink(groups.spec(), of(groups), context);
    }

    @Override
    public Sink winners(Output.Winners winners) {
      return new DeduplicateSink(winners.spec(), of(winners), context);
    }

    @Override
    public Sink sorted(Output.Sorted sorted) {
      return new SortSink(sorted.spec(), of(sorted), context);
    }

    @Override
    public Sink together(Output.Together together) {
      if (together.spec().what() instanceof Recursion recursion) {
        return new RecursionSink(
            together.spec(), recursion, of(together), context, endpoints, tallies);
      }
      if (together.spec().what() instanceof PickedStep step) {
        return new PickSink(together.spec(), step, of(together), context);
      } else if (together.spec().what() instanceof GroupedStep step) {
        return new GroupedSink(together.spec(), step, of(together), context);
      } else if (together.spec().what() instanceof WindowStep step) {
        return step.isTotals()
            ? new TotalsSink(together.spec(), step, of(together), context)
            : new WindowSink(together.spec(), step, of(together), context);
      }
      return new BlockSink(
          together.spec(), (BlockStep) together.spec().what(), of(together), context);
    }

    @Override
    public Sink kept(Output.Kept kept) {
      return new SpoolSink(kept.schema(), of(kept), context);
    }

    @Override
    public Sink written(Output.Written written) {
      return endpoints.target(written.target(), of(written), context);
    }

    @Override
    public Sink handed(Output.Handed handed) {
      throw new IllegalStateException("Rows that are handed over have a sink of their own");
    }
  }
}

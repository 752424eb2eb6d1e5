package yardage.core.exec;

import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import yardage.core.column.*;
import yardage.core.expr.Expression;
import yardage.core.expr.Logic;

/**
 * Runs physical plans: cuts them into stages at every sink, and runs the stages one after the
 * other.
 */
public final class Executor implements AutoCloseable {
  private final ExecutionContext context;
  private final Map<PhysicalNode.Shared, SpoolSink> shared = new IdentityHashMap<>();
  private final List<Runnable> releases = new ArrayList<>();

  public Executor(ExecutionContext context) {
    this.context = context;
  }

  /**
   * Runs {@code plan} into {@code sink}. Plans that hold the same {@link PhysicalNode.Shared}
   * compute it once.
   */
  public void run(PhysicalNode plan, Sink sink, StepTally sinkTally) {
    int before = releases.size();
    Driver.run(new Driver.Stage(compile(plan), sink, sinkTally), context);
    // What this plan's joins and groups held is free again; shared results stay until close.
    for (int i = releases.size() - 1; i >= before; i--) {
      releases.remove(i).run();
    }
  }

  /** Runs {@code plan} and gives its rows, in order. */
  public List<Batch> collect(PhysicalNode plan, StepTally tally) {
    return collect(plan, tally, Long.MAX_VALUE);
  }

  /**
   * As {@link #collect(PhysicalNode, StepTally)}, but stops reading once there are {@code enough}
   * rows; a few more may come. One worker gathers then, so that what is gathered is the beginning
   * of the result.
   */
  public List<Batch> collect(PhysicalNode plan, StepTally tally, long enough) {
    CollectSink sink = new CollectSink(plan.schema(), tally, "the result", context, enough);
    List<List<Driver.Pipeline>> phases = compile(plan);
    ExecutionContext last =
        enough == Long.MAX_VALUE
            ? context
            : new ExecutionContext(context.memory(), context.scratch(), context.cancel(), 1);
    Driver.run(new Driver.Stage(phases, sink, tally), last);
    List<Batch> out = Driver.batches(sink.result());
    sink.release();
    return out;
  }

  @Override
  public void close() {
    releases.forEach(Runnable::run);
    releases.clear();
    shared.values().forEach(SpoolSink::release);
    shared.clear();
  }

  private List<List<Driver.Pipeline>> compile(PhysicalNode node) {
    return node.accept(new Stages());
  }

  /** The pipelines of each node; what is below a sink has run when they are given. */
  private final class Stages implements PhysicalNode.Visitor<List<List<Driver.Pipeline>>> {
    @Override
    public List<List<Driver.Pipeline>> scan(PhysicalNode.Scan scan) {
      return source(scan.source(), scan.tally());
    }

    @Override
    public List<List<Driver.Pipeline>> filter(PhysicalNode.Filter filter) {
      return append(compile(filter.input()), Executor.filter(filter.condition(), filter.tally()));
    }

    @Override
    public List<List<Driver.Pipeline>> project(PhysicalNode.Project project) {
      return append(compile(project.input()), Executor.project(project.expressions()));
    }

    @Override
    public List<List<Driver.Pipeline>> border(PhysicalNode.Border border) {
      return append(compile(border.input()), Executor.border(border));
    }

    @Override
    public List<List<Driver.Pipeline>> union(PhysicalNode.Union union) {
      List<List<Driver.Pipeline>> out = new ArrayList<>();
      for (PhysicalNode input : union.inputs()) {
        List<List<Driver.Pipeline>> phases = compile(input);
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
    public List<List<Driver.Pipeline>> join(PhysicalNode.HashJoin join) {
      JoinSink sink = new JoinSink(join, context);
      stage(join.right(), sink, join.tally(), sink::release);
      List<List<Driver.Pipeline>> phases =
          new ArrayList<>(append(compile(join.left()), sink.probe()));
      if (sink.hasRest()) {
        phases.addAll(source(sink.rest(), join.tally()));
      }
      return phases;
    }

    @Override
    public List<List<Driver.Pipeline>> aggregate(PhysicalNode.Aggregate aggregate) {
      AggregateSink sink = new AggregateSink(aggregate, context);
      stage(aggregate.input(), sink, aggregate.tally(), sink::release);
      return source(sink.source(), aggregate.tally());
    }

    @Override
    public List<List<Driver.Pipeline>> dedupe(PhysicalNode.Deduplicate dedupe) {
      DeduplicateSink sink = new DeduplicateSink(dedupe, context);
      stage(dedupe.input(), sink, dedupe.tally(), sink::release);
      return source(sink.source(), dedupe.tally());
    }

    @Override
    public List<List<Driver.Pipeline>> sort(PhysicalNode.Sort sort) {
      SortSink sink = new SortSink(sort, context);
      stage(sort.input(), sink, sort.tally(), sink::release);
      return source(sink.source(), sort.tally());
    }

    @Override
    public List<List<Driver.Pipeline>> apply(PhysicalNode.Apply apply) {
      return append(
          compile(apply.input()), (worker, next) -> apply.step().bind(apply.tally(), next));
    }

    @Override
    public List<List<Driver.Pipeline>> whole(PhysicalNode.Whole whole) {
      WholeSink sink = new WholeSink(whole, context);
      stage(whole.input(), sink, whole.tally(), sink::release);
      return source(sink.source(), whole.tally());
    }

    @Override
    public List<List<Driver.Pipeline>> shared(PhysicalNode.Shared once) {
      SpoolSink sink = shared.get(once);
      if (sink == null) {
        sink = new SpoolSink(once.schema(), once.tally(), context);
        stage(once.input(), sink, once.tally(), () -> {});
        shared.put(once, sink);
      }
      return source(sink.source(), once.tally());
    }
  }

  private void stage(PhysicalNode input, Sink sink, StepTally tally, Runnable release) {
    List<List<Driver.Pipeline>> phases = compile(input);
    releases.add(release);
    Driver.run(new Driver.Stage(phases, sink, tally), context);
  }

  private static List<List<Driver.Pipeline>> source(ScanSource source, StepTally tally) {
    return List.of(List.of(new Driver.Pipeline(source, tally, List.of())));
  }

  private static List<List<Driver.Pipeline>> append(
      List<List<Driver.Pipeline>> phases, Operator operator) {
    return phases.stream()
        .map(phase -> phase.stream().map(p -> p.with(operator)).toList())
        .toList();
  }

  private static Operator filter(Expression condition, StepTally tally) {
    return (worker, next) ->
        batch -> {
          int[] rows = new int[batch.rowCount()];
          int n = Logic.select((BooleanColumn) condition.evaluate(batch), rows);
          tally.filtered.add(batch.rowCount() - n);
          if (n == batch.rowCount()) {
            next.accept(batch);
          } else if (n > 0) {
            next.accept(batch.gather(rows, n));
          }
        };
  }

  private static Operator project(List<Expression> expressions) {
    return (worker, next) ->
        batch -> {
          List<Column> out = new ArrayList<>(expressions.size());
          for (Expression e : expressions) {
            out.add(e.evaluate(batch));
          }
          next.accept(batch.withColumns(out));
        };
  }

  private static Operator border(PhysicalNode.Border border) {
    StepTally into = border.into().orElse(null);
    return (worker, next) ->
        batch -> {
          border
              .outOf()
              .ifPresent(
                  t -> {
                    t.rowsOut.add(batch.rowCount());
                    t.watched(batch);
                  });
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
}

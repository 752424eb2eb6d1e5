package yardage.core.exec;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.atomic.AtomicReference;
import yardage.core.column.Batch;
import yardage.core.column.TextRoom;
import yardage.core.expr.ExpressionException;

/**
 * Runs one stage. Workers pull splits until none is left; the first failure, or a cancel, stops
 * them all. Each worker binds a pipeline's paths once.
 */
final class Driver {
  /** A sequence has the split in its upper half, and in the lower one the batch of the split. */
  private static final int SPLIT_SHIFT = 32;

  private Driver() {}

  /** A scan and the paths behind it. */
  record Pipeline(ScanSource source, StepTally tally, List<RowPath> paths) {}

  /**
   * Pipelines that may run together, then the next ones: what a right join has left over comes
   * after its probe.
   */
  record Stage(List<List<Pipeline>> phases, Sink sink, StepTally sinkTally) {}

  /**
   * @param number among those of the phase, in the order of their rows
   */
  private record Task(
      Pipeline pipeline, int firstInput, ScanSource.Split split, long place, int number) {}

  static void run(Stage stage, ExecutionContext context) {
    boolean done = false;
    try {
      int inputs = 0;
      Map<Integer, BatchConsumer> sinks = new HashMap<>();
      for (List<Pipeline> pipelines : stage.phases()) {
        List<Task> tasks = new ArrayList<>();
        for (Pipeline pipeline : pipelines) {
          long split = 0;
          for (ScanSource.Split s : pipeline.source().splits()) {
            long place = s.place() < 0 ? split : s.place();
            tasks.add(new Task(pipeline, inputs, s, place, tasks.size()));
            split++;
          }
          inputs = Math.addExact(inputs, pipeline.source().inputs());
        }
        Phase phase = new Phase(stage, tasks, context);
        phase.run(sinks);
        if (!phase.wantsMore()) {
          break;
        }
      }
      context.cancel().check();
      finish(stage, context);
      done = true;
    } finally {
      if (!done) {
        stage.sink().abort();
      }
    }
  }

  private static void finish(Stage stage, ExecutionContext context) {
    Worker finisher = new Worker(0, context);
    finisher.switchTo(stage.sinkTally());
    try {
      stage.sink().finish();
    } catch (CancelledException | StepFailedException | CollectSink.EnoughRows e) {
      throw e;
    } catch (RuntimeException e) {
      throw new StepFailedException(finisher.step(), e);
    }
    finisher.switchTo(stage.sinkTally());
  }

  /** Pipelines that run together: their tasks, and what stops all workers. */
  private static final class Phase {
    private final Stage stage;
    private final ExecutionContext context;
    private final ConcurrentLinkedQueue<Task> tasks;
    private final int taskCount;
    private final Optional<FirstRows> first;
    private final StepTally step;
    private final AtomicReference<Throwable> failure = new AtomicReference<>();

    Phase(Stage stage, List<Task> tasks, ExecutionContext context) {
      this.stage = stage;
      this.context = context;
      this.tasks = new ConcurrentLinkedQueue<>(tasks);
      this.taskCount = tasks.size();
      this.step = tasks.isEmpty() ? new StepTally("", "") : tasks.get(0).pipeline().tally();
      boolean inOrder = tasks.stream().allMatch(t -> t.split().place() < 0);
      this.first =
          inOrder && stage.sink() instanceof SortSink sorted && sorted.enough().isPresent()
              ? Optional.of(new FirstRows(sorted.enough().getAsLong(), taskCount))
              : Optional.empty();
    }

    /** Whether rows of later phases are wanted. */
    boolean wantsMore() {
      return first.isEmpty() || first.get().wants(taskCount);
    }

    /**
     * @param sinks the consumer of each worker, which it keeps from one phase to the next
     */
    void run(Map<Integer, BatchConsumer> sinks) {
      List<Thread> running = new ArrayList<>();
      for (int t = 0; t < Math.min(context.workers(), taskCount); t++) {
        Worker worker = new Worker(t, context);
        BatchConsumer sink = sinks.computeIfAbsent(t, n -> stage.sink().consumer(worker));
        Labour labour = new Labour(this, worker, sink);
        Thread thread = new Thread(labour::run, "yardage-worker-" + t);
        thread.setDaemon(true);
        running.add(thread);
      }
      running.forEach(Thread::start);
      Processors.away(() -> running.forEach(thread -> join(thread, context.cancel())));
      Throwable t = failure.get();
      if (t == CollectSink.EnoughRows.INSTANCE) {
        return;
      }
      if (t instanceof RuntimeException e) {
        throw e;
      }
      if (t instanceof Error e) {
        throw e;
      }
    }
  }

  private static void join(Thread thread, CancelToken cancel) {
    boolean interrupted = false;
    while (thread.isAlive()) {
      try {
        thread.join(50);
      } catch (InterruptedException e) {
        interrupted = true;
        cancel.cancel("interrupted");
      }
    }
    if (interrupted) {
      Thread.currentThread().interrupt();
    }
  }

  /** What one worker does of a phase. */
  private static final class Labour {
    private final Phase phase;
    private final Worker worker;
    private final BatchConsumer sink;
    private final Map<Pipeline, BatchConsumer> bound = new IdentityHashMap<>();
    private Task task;

    Labour(Phase phase, Worker worker, BatchConsumer sink) {
      this.phase = phase;
      this.worker = worker;
      this.sink = phase.first.isEmpty() ? sink : counted(sink, phase.first.get());
    }

    /** Notes which task's rows arrive. */
    private BatchConsumer counted(BatchConsumer to, FirstRows first) {
      return batch -> {
        to.accept(batch);
        first.came(task.number(), batch.rowCount());
      };
    }

    void run() {
      ExecutionContext context = worker.context();
      try (Processors.Turn turn = context.processors().take();
          MemoryPool.Reservation texts =
              context.memory().reservation(phase.step, "texts that expressions make")) {
        TextRoom.under(texts::grow, () -> work(texts, turn));
      } catch (CancelledException | StepFailedException | CollectSink.EnoughRows e) {
        phase.failure.compareAndSet(null, e);
      } catch (RuntimeException e) {
        phase.failure.compareAndSet(null, new StepFailedException(worker.step(), e));
      } catch (StackOverflowError e) {
        phase.failure.compareAndSet(
            null,
            new StepFailedException(
                worker.step(),
                new ExpressionException(
                    "An expression is nested too deeply to be computed; split it into several steps")));
      } catch (Throwable t) {
        phase.failure.compareAndSet(null, t);
      }
    }

    private void work(MemoryPool.Reservation texts, Processors.Turn turn) {
      while (phase.failure.get() == null && (task = phase.tasks.poll()) != null) {
        if (!isWanted()) {
          continue;
        }
        Pipeline pipeline = task.pipeline();
        BatchConsumer head = bound.computeIfAbsent(pipeline, this::bind);
        worker.switchTo(pipeline.tally());
        try {
          task.split().read(worker, batch -> take(batch, head, texts, turn));
        } catch (CollectSink.EnoughRows e) {
          if (phase.first.isEmpty()) {
            throw e;
          }
        }
        worker.switchTo(pipeline.tally());
      }
    }

    private boolean isWanted() {
      return phase.first.isEmpty() || phase.first.get().wants(task.number());
    }

    private void take(
        Batch batch, BatchConsumer head, MemoryPool.Reservation texts, Processors.Turn turn) {
      if (phase.failure.get() != null) {
        throw new CancelledException("another worker failed");
      }
      worker.context().cancel().check();
      turn.border();
      if (!isWanted()) {
        throw CollectSink.EnoughRows.INSTANCE;
      }
      if (batch.rowCount() > 0) {
        if (batch.sequence() >>> SPLIT_SHIFT != 0) {
          throw new IllegalStateException("A split has too many batches");
        }
        long first = Math.multiplyExact(task.place(), 1L << SPLIT_SHIFT);
        head.accept(batch.behind(task.firstInput(), first | batch.sequence()));
        // What the batch's expressions made is garbage now, or counted where it went.
        texts.resize(0);
      }
    }

    private BatchConsumer bind(Pipeline pipeline) {
      BatchConsumer next = sink;
      for (int i = pipeline.paths().size() - 1; i >= 0; i--) {
        BatchConsumer to = next;
        // A step that multiplies rows gives many batches for one: each of them looks.
        BatchConsumer looking =
            batch -> {
              worker.context().cancel().check();
              to.accept(batch);
            };
        next = pipeline.paths().get(i).bind(worker, looking);
      }
      return next;
    }
  }

  /** Rows for a caller that takes them all at once. */
  static List<Batch> batches(List<yardage.core.column.Column> columns) {
    List<Batch> out = new ArrayList<>();
    int rows = columns.isEmpty() ? 0 : columns.get(0).size();
    for (int at = 0; at < rows; at += Batch.TARGET_ROWS) {
      out.add(BatchStore.slice(columns, at, Math.min(rows, at + Batch.TARGET_ROWS), out.size()));
    }
    return out;
  }
}

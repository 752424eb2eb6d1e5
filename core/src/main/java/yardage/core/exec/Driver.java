package yardage.core.exec;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
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

  private record Task(Pipeline pipeline, int firstInput, ScanSource.Split split, long place) {}

  static void run(Stage stage, ExecutionContext context) {
    boolean done = false;
    try {
      int inputs = 0;
      Map<Integer, BatchConsumer> sinks = new HashMap<>();
      for (List<Pipeline> phase : stage.phases()) {
        ConcurrentLinkedQueue<Task> tasks = new ConcurrentLinkedQueue<>();
        for (Pipeline pipeline : phase) {
          long split = 0;
          for (ScanSource.Split s : pipeline.source().splits()) {
            long place = s.place() < 0 ? split : s.place();
            tasks.add(new Task(pipeline, inputs, s, place));
            split++;
          }
          inputs = Math.addExact(inputs, pipeline.source().inputs());
        }
        runTasks(tasks, stage, context, sinks);
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

  private static void runTasks(
      ConcurrentLinkedQueue<Task> tasks,
      Stage stage,
      ExecutionContext context,
      Map<Integer, BatchConsumer> sinks) {
    int threads = Math.min(context.workers(), tasks.size());
    AtomicReference<Throwable> failure = new AtomicReference<>();
    List<Thread> running = new ArrayList<>();
    for (int t = 0; t < threads; t++) {
      Worker worker = new Worker(t, context);
      // A worker keeps its consumer from one phase to the next.
      BatchConsumer sink = sinks.computeIfAbsent(t, n -> stage.sink().consumer(worker));
      Thread thread = new Thread(() -> work(tasks, worker, sink, failure), "yardage-worker-" + t);
      thread.setDaemon(true);
      running.add(thread);
    }
    running.forEach(Thread::start);
    Processors.away(() -> running.forEach(thread -> join(thread, context.cancel())));
    Throwable t = failure.get();
    if (t == CollectSink.EnoughRows.INSTANCE) {
      tasks.clear();
      return;
    }
    if (t instanceof RuntimeException e) {
      throw e;
    }
    if (t instanceof Error e) {
      throw e;
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

  private static void work(
      ConcurrentLinkedQueue<Task> tasks,
      Worker worker,
      BatchConsumer sink,
      AtomicReference<Throwable> failure) {
    Map<Pipeline, BatchConsumer> bound = new java.util.IdentityHashMap<>();
    try (Processors.Turn turn = worker.context().processors().take();
        MemoryPool.Reservation texts =
            worker.context().memory().reservation(stepOf(tasks), "texts that expressions make")) {
      TextRoom.under(texts::grow, () -> work(tasks, worker, failure, bound, sink, texts, turn));
    } catch (CancelledException | StepFailedException | CollectSink.EnoughRows e) {
      failure.compareAndSet(null, e);
    } catch (RuntimeException e) {
      failure.compareAndSet(null, new StepFailedException(worker.step(), e));
    } catch (StackOverflowError e) {
      failure.compareAndSet(
          null,
          new StepFailedException(
              worker.step(),
              new ExpressionException(
                  "An expression is nested too deeply to be computed; split it into several steps")));
    } catch (Throwable t) {
      failure.compareAndSet(null, t);
    }
  }

  private static StepTally stepOf(ConcurrentLinkedQueue<Task> tasks) {
    Task first = tasks.peek();
    return first == null ? new StepTally("", "") : first.pipeline().tally();
  }

  private static void work(
      ConcurrentLinkedQueue<Task> tasks,
      Worker worker,
      AtomicReference<Throwable> failure,
      Map<Pipeline, BatchConsumer> bound,
      BatchConsumer sink,
      MemoryPool.Reservation texts,
      Processors.Turn turn) {
    Task task;
    while (failure.get() == null && (task = tasks.poll()) != null) {
      Pipeline pipeline = task.pipeline();
      BatchConsumer head = bound.computeIfAbsent(pipeline, p -> bind(p, worker, sink));
      int inputs = task.firstInput();
      long first = Math.multiplyExact(task.place(), 1L << SPLIT_SHIFT);
      worker.switchTo(pipeline.tally());
      task.split()
          .read(
              worker,
              batch -> {
                if (failure.get() != null) {
                  throw new CancelledException("another worker failed");
                }
                worker.context().cancel().check();
                turn.border();
                if (batch.rowCount() > 0) {
                  if (batch.sequence() >>> SPLIT_SHIFT != 0) {
                    throw new IllegalStateException("A split has too many batches");
                  }
                  head.accept(batch.behind(inputs, first | batch.sequence()));
                  // What the batch's expressions made is garbage now, or counted where it went.
                  texts.resize(0);
                }
              });
      worker.switchTo(pipeline.tally());
    }
  }

  private static BatchConsumer bind(Pipeline pipeline, Worker worker, BatchConsumer sink) {
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

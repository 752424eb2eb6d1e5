package yardage.core.exec;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.atomic.AtomicReference;
import yardage.core.column.Batch;

/**
 * Runs one stage. Workers pull splits until none is left; the first failure, or a cancel, stops
 * them all. Each worker binds a pipeline's operators once.
 */
final class Driver {
  private Driver() {}

  /** A scan and the operators behind it. */
  record Pipeline(ScanSource source, StepTally tally, List<Operator> operators) {
    Pipeline with(Operator operator) {
      List<Operator> more = new ArrayList<>(operators);
      more.add(operator);
      return new Pipeline(source, tally, more);
    }
  }

  /**
   * Pipelines that may run together, then the next ones: what a right join has left over comes
   * after its probe.
   */
  record Stage(List<List<Pipeline>> phases, Sink sink, StepTally sinkTally) {}

  private record Task(
      Pipeline pipeline, int pipelineOrdinal, ScanSource.Split split, long splitOrdinal) {}

  static void run(Stage stage, ExecutionContext context) {
    boolean done = false;
    try {
      int ordinal = 0;
      Map<Integer, BatchConsumer> sinks = new HashMap<>();
      for (List<Pipeline> phase : stage.phases()) {
        ConcurrentLinkedQueue<Task> tasks = new ConcurrentLinkedQueue<>();
        for (Pipeline pipeline : phase) {
          long split = 0;
          for (ScanSource.Split s : pipeline.source().splits()) {
            long place = s.place() < 0 ? split : s.place();
            tasks.add(new Task(pipeline, ordinal, s, place));
            split++;
          }
          ordinal++;
        }
        runTasks(tasks, stage, context, sinks);
      }
      context.cancel().check();
      Worker finisher = new Worker(0, context);
      finisher.switchTo(stage.sinkTally());
      stage.sink().finish();
      finisher.switchTo(stage.sinkTally());
      done = true;
    } finally {
      if (!done) {
        stage.sink().abort();
      }
    }
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
    for (Thread thread : running) {
      join(thread, context.cancel());
    }
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
    try {
      Task task;
      while (failure.get() == null && (task = tasks.poll()) != null) {
        Pipeline pipeline = task.pipeline();
        BatchConsumer head = bound.computeIfAbsent(pipeline, p -> bind(p, worker, sink));
        // 8 bits of pipeline, 28 of split, 28 of batch: the order of the input in one long.
        long base = (long) task.pipelineOrdinal() << 56 | task.splitOrdinal() << 28;
        worker.switchTo(pipeline.tally());
        task.split()
            .read(
                worker,
                batch -> {
                  if (failure.get() != null) {
                    throw new CancelledException("another worker failed");
                  }
                  worker.context().cancel().check();
                  if (batch.rowCount() > 0) {
                    head.accept(batch.withSequence(base | batch.sequence()));
                  }
                });
        worker.switchTo(pipeline.tally());
      }
    } catch (CancelledException | StepFailedException | CollectSink.EnoughRows e) {
      failure.compareAndSet(null, e);
    } catch (RuntimeException e) {
      failure.compareAndSet(null, new StepFailedException(worker.step(), e));
    } catch (Throwable t) {
      failure.compareAndSet(null, t);
    }
  }

  private static BatchConsumer bind(Pipeline pipeline, Worker worker, BatchConsumer sink) {
    BatchConsumer next = sink;
    for (int i = pipeline.operators().size() - 1; i >= 0; i--) {
      next = pipeline.operators().get(i).bind(worker, next);
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

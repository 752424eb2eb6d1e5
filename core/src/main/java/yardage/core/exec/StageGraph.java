package yardage.core.exec;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.TimeUnit;
import yardage.core.plan.Stage;

/**
 * Runs stages as soon as those that they need are over: on the calling thread where only one can
 * run, and several at the same time where they are independent. The first failure stops all.
 */
final class StageGraph {
  /** Two stages hold more than one: another is begun only while this share of memory is free. */
  private static final double FREE_FOR_ANOTHER = 0.5;

  private static final long LOOK_AGAIN_MILLIS = 50;

  /** Runs a stage. */
  interface Work {
    /** Called once, before any stage begins. */
    void begins(List<Stage> stages);

    /**
     * @param context with a cancel token that the failure of another stage sets too
     */
    void run(Stage stage, ExecutionContext context);

    /** Called on the thread of the graph, one stage after the other, when it is over. */
    void over(Stage stage, Set<Integer> neededStill);
  }

  private final List<Stage> stages;
  private final ExecutionContext context;
  private final Work work;
  private final Set<Integer> begun = new HashSet<>();
  private final Set<Integer> over = new HashSet<>();
  private final Map<Integer, Thread> running = new HashMap<>();
  private final LinkedBlockingQueue<Ended> ended = new LinkedBlockingQueue<>();

  private record Ended(Stage stage, Throwable failure) {}

  StageGraph(List<Stage> stages, ExecutionContext context, Work work) {
    this.stages = stages;
    this.context = context;
    this.work = work;
  }

  void run() {
    work.begins(stages);
    CancelToken part = context.cancel().part();
    ExecutionContext inPart = context.with(part);
    List<Throwable> failures = new ArrayList<>();
    while (failures.isEmpty() && over.size() < stages.size()) {
      List<Stage> ready = ready();
      if (running.isEmpty() && (ready.size() == 1 || context.workers() == 1)) {
        begin(ready.get(0), inPart);
      } else {
        for (Stage stage : ready) {
          if (running.isEmpty() || running.size() < context.workers() && hasRoom()) {
            beginAside(stage, inPart);
          }
        }
      }
      await(failures);
    }
    if (!running.isEmpty()) {
      part.cancel("another stage failed");
      while (!running.isEmpty()) {
        await(failures);
      }
    }
    if (!failures.isEmpty()) {
      throwFirst(failures);
    }
  }

  private List<Stage> ready() {
    return stages.stream()
        .filter(s -> !begun.contains(s.id()) && over.containsAll(s.needs()))
        .toList();
  }

  private boolean hasRoom() {
    return context.memory().usedBytes() < (1 - FREE_FOR_ANOTHER) * context.memory().limitBytes();
  }

  private void begin(Stage stage, ExecutionContext inPart) {
    begun.add(stage.id());
    Throwable failure = null;
    try {
      work.run(stage, inPart);
    } catch (RuntimeException | Error e) {
      failure = e;
    }
    ended.add(new Ended(stage, failure));
  }

  private void beginAside(Stage stage, ExecutionContext inPart) {
    Thread thread = new Thread(() -> begin(stage, inPart), "yardage-stage-" + stage.id());
    thread.setDaemon(true);
    begun.add(stage.id());
    running.put(stage.id(), thread);
    thread.start();
  }

  /** Waits for a stage to end. An interrupt cancels the run, and is kept for the caller. */
  private void await(List<Throwable> failures) {
    Ended end = null;
    boolean interrupted = false;
    while (end == null) {
      try {
        end = ended.poll(LOOK_AGAIN_MILLIS, TimeUnit.MILLISECONDS);
      } catch (InterruptedException e) {
        interrupted = true;
        context.cancel().cancel("interrupted");
      }
    }
    if (interrupted) {
      Thread.currentThread().interrupt();
    }
    Thread aside = running.remove(end.stage().id());
    if (aside != null) {
      // It has said that it is over: this does not take long.
      Joining.join(List.of(aside));
    }
    over.add(end.stage().id());
    if (end.failure() != null) {
      failures.add(end.failure());
      return;
    }
    Set<Integer> needed = new HashSet<>();
    stages.stream().filter(s -> !over.contains(s.id())).forEach(s -> needed.addAll(s.needs()));
    work.over(end.stage(), needed);
  }

  /** What stopped the others is told, not that they were stopped. */
  private static void throwFirst(List<Throwable> failures) {
    Throwable first =
        failures.stream()
            .filter(f -> !(f instanceof CancelledException))
            .findFirst()
            .orElse(failures.get(0));
    if (first instanceof RuntimeException e) {
      throw e;
    }
    throw (Error) first;
  }
}

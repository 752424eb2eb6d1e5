package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Consumer;
import java.util.function.Supplier;

/** Spreads independent pieces of a sink's last work over the workers of a run. */
public final class Parallel {
  private static final int RANGE = 4096;

  private Parallel() {}

  /**
   * Runs {@code action} on every item; the first failure is thrown once all workers have stopped.
   */
  public static <T> void forEach(List<T> items, ExecutionContext context, Consumer<T> action) {
    if (items.size() < 2 && Processors.isWorker()) {
      // A worker that would only wait for another does it itself.
      context.cancel().check();
      items.forEach(action);
      return;
    }
    ScanSource source =
        () ->
            items.stream()
                .<ScanSource.Split>map(
                    item ->
                        (worker, out) -> {
                          context.cancel().check();
                          action.accept(item);
                        })
                .toList();
    drain(source, () -> batch -> {}, context);
  }

  /** Some of so many things that are numbered. */
  @FunctionalInterface
  public interface Range {
    void accept(int from, int to);
  }

  /** Cuts {@code [0, count)} into ranges and does them side by side. */
  public static void ranges(int count, ExecutionContext context, Range action) {
    List<Integer> starts = new ArrayList<>();
    for (int from = 0; from < count; from += RANGE) {
      starts.add(from);
    }
    forEach(starts, context, from -> action.accept(from, Math.min(count, from + RANGE)));
  }

  /** Reads all that a source has, with a consumer for each worker. */
  public static void drain(
      ScanSource source, Supplier<BatchConsumer> consumers, ExecutionContext context) {
    StepTally untold = new StepTally("", "");
    Driver.run(
        new Driver.Stage(
            List.of(List.of(new Driver.Pipeline(source, untold, List.of()))),
            worker -> consumers.get(),
            untold),
        context);
  }
}

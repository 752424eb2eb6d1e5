package yardage.core.exec;

import java.util.List;
import java.util.function.Consumer;
import java.util.function.Supplier;

/** Spreads independent pieces of a sink's last work over the workers of a run. */
public final class Parallel {
  private Parallel() {}

  /**
   * Runs {@code action} on every item; the first failure is thrown once all workers have stopped.
   */
  public static <T> void forEach(List<T> items, ExecutionContext context, Consumer<T> action) {
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

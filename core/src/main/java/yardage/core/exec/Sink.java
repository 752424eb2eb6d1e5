package yardage.core.exec;

/**
 * Where a stage ends. Shared by the workers; each gets a consumer of its own. {@link #finish} runs
 * once, after every worker is done and before the next stage starts; {@link #abort} runs instead of
 * it when the stage failed.
 */
public interface Sink {
  BatchConsumer consumer(Worker worker);

  default void finish() {}

  default void abort() {}
}

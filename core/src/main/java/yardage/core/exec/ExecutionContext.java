package yardage.core.exec;

/**
 * What a run executes with: its memory budget, its room on disk, its cancellation, and how many
 * workers it may use.
 */
public record ExecutionContext(
    MemoryPool memory, Scratch scratch, CancelToken cancel, int workers) {
  public ExecutionContext {
    if (workers < 1) {
      throw new IllegalArgumentException(
          "Invalid workers: %d (must be at least 1)".formatted(workers));
    }
  }

  /** All processors and a budget of its own; for tests and tools. */
  public static ExecutionContext standalone(long memoryBytes) {
    return new ExecutionContext(
        MemoryPool.root("the run", memoryBytes),
        Scratch.temporary(Long.MAX_VALUE),
        new CancelToken(),
        Runtime.getRuntime().availableProcessors());
  }
}

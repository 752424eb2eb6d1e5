package yardage.core.exec;

/**
 * What a run executes with: its memory budget, its room on disk, its cancellation, how many workers
 * each of its stages may use, and its share of the processors.
 *
 * @param progress told what is read
 */
public record ExecutionContext(
    MemoryPool memory,
    Scratch scratch,
    CancelToken cancel,
    int workers,
    Processors.Share processors,
    Progress progress) {
  public ExecutionContext {
    if (workers < 1) {
      throw new IllegalArgumentException(
          "Invalid workers: %d (must be at least 1)".formatted(workers));
    }
  }

  /** With a share of the machine's processors of its own. */
  public ExecutionContext(MemoryPool memory, Scratch scratch, CancelToken cancel, int workers) {
    this(memory, scratch, cancel, workers, Processors.SHARED.share(), new Progress());
  }

  /** The same for a part of the work that can be cancelled alone. */
  ExecutionContext with(CancelToken part) {
    return new ExecutionContext(memory, scratch, part, workers, processors, progress);
  }

  /** The same with one worker. */
  ExecutionContext alone() {
    return new ExecutionContext(memory, scratch, cancel, 1, processors, progress);
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

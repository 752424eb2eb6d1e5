package yardage.service.runs;

import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.exec.Tally;

/** Runs as the interface shows them. */
public final class RunView {
  private RunView() {}

  public record RunSummary(
      long id,
      String pipeline,
      int documentVersion,
      RunState state,
      String cause,
      String requestedBy,
      Instant requestedAt,
      Optional<Instant> dueAt,
      Optional<Instant> startedAt,
      Optional<Instant> finishedAt,
      Optional<Long> elapsedMillis,
      long rowsIn,
      long rowsOut,
      long setAside,
      int warnings,
      Optional<Failure> failure) {}

  /**
   * Why a run failed.
   *
   * @param file the file that could not be read, where one stopped the run
   */
  public record Failure(
      String code, Optional<String> step, String message, Optional<FileOfFeed> file) {}

  public record FileOfFeed(String feed, String path) {}

  /** A step with its counts, and how it hangs together with others, for drawing. */
  public record RunStep(
      String name,
      String verb,
      String detail,
      List<String> from,
      Optional<String> with,
      StepTally tally) {}

  /**
   * A step's counts; see the balance in {@code balanced}.
   *
   * @param state waiting, running or done
   */
  public record StepTally(
      String state,
      long rowsIn,
      long rightIn,
      long rowsOut,
      long setAside,
      long merged,
      long filtered,
      long unmatched,
      long multiplied,
      long added,
      long folded,
      long absorbed,
      long matched,
      long bytesRead,
      long bytesWritten,
      long filesRead,
      long filesSkipped,
      long filesWritten,
      long cpuMillis,
      long peakBytes,
      long spilledBytes,
      boolean balanced) {
    static StepTally of(Tally t, boolean runEnded) {
      boolean started = t.startedNanos() != 0;
      return new StepTally(
          runEnded ? "done" : started ? "running" : "waiting",
          t.rowsIn(),
          t.rightIn(),
          t.rowsOut(),
          t.setAside(),
          t.merged(),
          t.filtered(),
          t.unmatched(),
          t.multiplied(),
          t.added(),
          t.folded(),
          t.absorbed(),
          t.matched(),
          t.bytesRead(),
          t.bytesWritten(),
          t.filesRead(),
          t.filesSkipped(),
          t.filesWritten(),
          t.cpuNanos() / 1_000_000,
          t.peakBytes(),
          t.bytesSpilled(),
          t.imbalance() == 0);
    }
  }

  /**
   * A run, whole.
   *
   * @param peakBytes the most memory that it held at once
   * @param spilledBytes what it wrote to disk because memory did not take it
   * @param warnings what somebody should look at although nothing failed
   */
  public record RunDetail(
      RunSummary summary,
      List<RunStep> steps,
      Map<String, Long> setAsideByReason,
      long peakBytes,
      long spilledBytes,
      long memoryBytes,
      String document,
      Map<String, String> parameters,
      Map<String, Integer> feedVersions,
      Optional<String> cancelAskedBy,
      boolean balanced,
      String balance,
      List<String> warnings) {}

  public record LogEntry(int line, Instant at, String message) {}
}

package yardage.service.runs;

import java.time.Instant;

/** A run's record. Fields that may be null are so until the run gets there. */
record RunRow(
    Long id,
    String pipeline,
    Integer documentVersion,
    String feedVersions,
    String parameters,
    String settings,
    String state,
    String cause,
    String requestedBy,
    Instant requestedAt,
    Instant dueAt,
    Instant startedAt,
    Instant finishedAt,
    String owner,
    Instant leaseUntil,
    String cancelAskedBy,
    String failureCode,
    String failureStep,
    String failureMessage,
    String failureFeed,
    String failureFile,
    String tallies,
    String setAside,
    Long peakBytes,
    String warnings) {

  RunState runState() {
    return RunState.valueOf(state.toUpperCase(java.util.Locale.ROOT));
  }
}

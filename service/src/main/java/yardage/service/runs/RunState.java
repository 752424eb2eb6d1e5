package yardage.service.runs;

/** Where a run is in its life; the last four are ends. */
public enum RunState {
  QUEUED,
  RUNNING,
  SUCCEEDED,
  FAILED,
  CANCELLED,
  INTERRUPTED;

  public boolean isEnd() {
    return this != QUEUED && this != RUNNING;
  }
}

package yardage.service.runs;

import java.util.Arrays;
import java.util.List;
import java.util.Locale;

/** Where a run is in its life; the last four are ends. */
public enum RunState {
  QUEUED,
  RUNNING,
  SUCCEEDED,
  FAILED,
  CANCELLED,
  INTERRUPTED;

  /** The states as the interface names them. */
  public static List<String> words() {
    return Arrays.stream(values()).map(s -> s.name().toLowerCase(Locale.ROOT)).toList();
  }

  public boolean isEnd() {
    return this != QUEUED && this != RUNNING;
  }
}

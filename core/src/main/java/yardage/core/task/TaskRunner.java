package yardage.core.task;

import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Sink;
import yardage.core.exec.StageTask;
import yardage.core.exec.StepTally;
import yardage.core.feed.SetAsideWriter;
import yardage.core.lake.Lake;
import yardage.core.lake.Staging;
import yardage.core.lake.TableWriter;

/** Runs tasks from their bytes alone. */
public final class TaskRunner {
  private final Lake lake;
  private final ExecutionContext context;

  public TaskRunner(Lake lake, ExecutionContext context) {
    this.lake = lake;
    this.context = context;
  }

  /**
   * @param task a {@link StageTask} as {@link TaskKinds#CODEC} writes it
   * @param setAside where rows go that do not fit
   * @param staging notes the files that are made
   * @return a {@link TaskResult}, likewise
   */
  public byte[] run(byte[] task, SetAsideWriter setAside, Staging staging) {
    StageTask decoded = TaskKinds.CODEC.decode(task, StageTask.class);
    Map<String, StepTally> tallies = new ConcurrentHashMap<>();
    TaskEndpoints endpoints = TaskEndpoints.writing(lake, setAside, staging);
    try {
      Sink sink =
          decoded.run(
              context, endpoints, step -> tallies.computeIfAbsent(step, s -> tally(s, setAside)));
      return TaskKinds.CODEC.encode(
          new TaskResult(
              tallies.values().stream().map(StepTally::counts).toList(),
              endpoints.reports(),
              sink instanceof TableWriter writer
                  ? Optional.of(writer.written())
                  : Optional.empty()),
          TaskResult.class);
    } finally {
      endpoints.close();
    }
  }

  private static StepTally tally(String step, SetAsideWriter setAside) {
    StepTally tally = new StepTally(step, "");
    tally.keepAside(
        (row, field, reason, message) -> setAside.write(step, row, field, reason, message));
    return tally;
  }
}

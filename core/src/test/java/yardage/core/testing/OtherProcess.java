package yardage.core.testing;

import java.io.BufferedReader;
import java.io.BufferedWriter;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.OutputStreamWriter;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.Function;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.StageTask;
import yardage.core.exec.StepTally;
import yardage.core.feed.FeedReport;
import yardage.core.feed.SetAsideWriter;
import yardage.core.lake.Lake;
import yardage.core.lake.PointerStore;
import yardage.core.lake.Staging;
import yardage.core.lake.TableName;
import yardage.core.plan.Output;
import yardage.core.plan.Stage;
import yardage.core.plan.StageCutter;
import yardage.core.storage.LocalStorage;
import yardage.core.task.PlanRunner;
import yardage.core.task.TaskKinds;
import yardage.core.task.TaskResult;
import yardage.core.task.TaskRunner;

/**
 * A second process of Java that runs tasks, one after the other: it knows the lake's folder, and
 * the bytes of each task.
 */
public final class OtherProcess implements AutoCloseable {
  private final Process process;
  private final BufferedReader from;
  private final BufferedWriter to;
  private final Path folder;
  private int tasks;

  /**
   * @param folder for tasks, results and rows between stages
   */
  public OtherProcess(Path lake, Path folder) throws IOException {
    this.folder = Files.createDirectories(folder);
    process =
        new ProcessBuilder(
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                "-Xmx512m",
                "-cp",
                System.getProperty("java.class.path"),
                OtherProcess.class.getName(),
                lake.toString())
            .redirectError(folder.resolve("errors.txt").toFile())
            .start();
    from = process.inputReader(StandardCharsets.UTF_8);
    to = process.outputWriter(StandardCharsets.UTF_8);
  }

  public static void main(String[] args) throws IOException {
    PointerStore none =
        new PointerStore() {
          @Override
          public java.util.Optional<String> metadataLocation(TableName table) {
            throw new UnsupportedOperationException("A task names states, not tables");
          }

          @Override
          public List<TableName> tables() {
            throw new UnsupportedOperationException();
          }
        };
    Lake lake = new Lake(LocalStorage.place(Path.of(args[0])), none);
    BufferedReader in =
        new BufferedReader(new InputStreamReader(System.in, StandardCharsets.UTF_8));
    var out = new OutputStreamWriter(System.out, StandardCharsets.UTF_8);
    for (String line = in.readLine(); line != null; line = in.readLine()) {
      String[] words = line.split("\t");
      ExecutionContext context = ExecutionContext.standalone(128L << 20);
      String answer = "done";
      try (SetAsideWriter aside = new SetAsideWriter(LocalStorage.place(Path.of(words[2])));
          Staging staging = lake.stage(words[3])) {
        byte[] result =
            new TaskRunner(lake, context)
                .run(Files.readAllBytes(Path.of(words[0])), aside, staging);
        Files.write(Path.of(words[1]), result);
      } catch (RuntimeException e) {
        e.printStackTrace();
        answer = e.toString().replace('\n', ' ');
      }
      if (context.memory().usedBytes() != 0 || context.scratch().usedBytes() != 0) {
        answer = "memory or scratch was kept";
      }
      out.write(answer + "\n");
      out.flush();
    }
  }

  /** How many tasks it has run. */
  public int tasks() {
    return tasks;
  }

  private TaskResult run(StageTask task, String run) throws IOException {
    Path base = folder.resolve("task" + ++tasks);
    Files.write(base, TaskKinds.CODEC.encode(task, StageTask.class));
    Path result = folder.resolve("task" + tasks + ".result");
    to.write(
        "%s\t%s\t%s\t%s\n"
            .formatted(base, result, folder.resolve(run + "-" + tasks + ".jsonl"), run));
    to.flush();
    String answer = from.readLine();
    if (!"done".equals(answer)) {
      throw new IllegalStateException("The other process says: " + answer);
    }
    return TaskKinds.CODEC.decode(Files.readAllBytes(result), TaskResult.class);
  }

  /** Runs plans there, stage by stage; what it counts is added up here. */
  public PlanRunner runner(Lake lake, String run, Function<String, StepTally> tallies) {
    return new PlanRunner() {
      private final List<FeedReport> reports = new ArrayList<>();

      @Override
      public void run(List<StageCutter.Root> roots, Written written) {
        Map<Integer, StageTask.Need> left = new LinkedHashMap<>();
        int root = 0;
        try {
          for (Stage stage : StageCutter.cut(roots)) {
            Path frames = folder.resolve("rows%d-%d".formatted(tasks, stage.id()));
            TaskResult result =
                OtherProcess.this.run(
                    new StageTask(stage, stage.needs().stream().map(left::get).toList(), frames),
                    run);
            left.put(stage.id(), new StageTask.Need(stage.id(), stage.output(), frames));
            result.counts().forEach(c -> tallies.apply(c.tally().step()).add(c));
            reports.addAll(result.reports());
            if (stage.output() instanceof Output.Written) {
              written.done(root++, result.written().orElseThrow());
            }
          }
        } catch (IOException e) {
          throw new UncheckedIOException(e);
        }
      }

      @Override
      public List<FeedReport> reports() {
        return reports;
      }

      @Override
      public Map<String, Long> nulledByColumn() {
        Map<String, Long> out = new TreeMap<>();
        reports.forEach(r -> r.nulled().forEach((c, n) -> out.put(r.step() + "." + c, n)));
        return out;
      }

      @Override
      public void close() {}
    };
  }

  /** Where the rows went that did not fit. */
  public Path folder() {
    return folder;
  }

  @Override
  public void close() throws IOException {
    to.close();
    process.destroy();
  }
}

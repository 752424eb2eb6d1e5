package yardage.core.pipeline.run;

import java.time.Instant;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.BiConsumer;
import java.util.function.Consumer;
import java.util.function.Function;
import yardage.core.column.Batch;
import yardage.core.exec.CancelledException;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.Sizes;
import yardage.core.exec.StepTally;
import yardage.core.exec.Tally;
import yardage.core.feed.FeedReport;
import yardage.core.feed.IntakeFile;
import yardage.core.feed.KnownFiles;
import yardage.core.feed.SetAsideWriter;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeTable;
import yardage.core.lake.PointerChange;
import yardage.core.lake.Publication;
import yardage.core.lake.Staging;
import yardage.core.lake.WriteMode;
import yardage.core.lake.WrittenTable;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.read.Verb;
import yardage.core.plan.PlanNode;
import yardage.core.plan.Stage;
import yardage.core.plan.StageCutter;
import yardage.core.star.DimensionStep;
import yardage.core.star.UnknownMembers;
import yardage.core.storage.Place;
import yardage.core.task.LocalRunner;
import yardage.core.task.PlanRunner;
import yardage.core.task.TaskEndpoints;

/**
 * One run of a pipeline: reads, computes, checks that the books balance, publishes. {@link
 * #execute} is called once; {@link #tallies} may be watched from other threads meanwhile.
 */
public final class PipelineRun {
  /** Of one feed; thousands of files may all say the same. */
  private static final int MOST_FILE_NOTES = 5;

  /**
   * What a run needs from around it.
   *
   * @param run unlike that of any other run
   * @param startedAt the time of intake that rows may carry
   * @param setAsideFile where set-aside rows are kept; without one they are only counted
   */
  public record Setting(
      String run,
      Instant startedAt,
      Lake lake,
      Catalog catalog,
      KnownFiles known,
      Optional<Place> setAsideFile,
      ExecutionContext execution,
      RunListener listener) {
    /** The same for a second look at the rows: nothing is set aside or logged again. */
    public Setting toLook() {
      return new Setting(
          run + "-look",
          startedAt,
          lake,
          catalog,
          known,
          Optional.empty(),
          execution,
          message -> {});
    }
  }

  /** Publishes everything at once: the pointers and the intake, in one transaction. */
  public interface Publisher extends BiConsumer<List<PointerChange>, List<IntakeFile>> {}

  private static final int MOST_WARNINGS = 200;

  private final PipelineCheck check;
  private final Setting setting;
  private final SetAsideWriter setAside;
  private final Map<String, StepTally> tallies = new LinkedHashMap<>();
  private final StepTally untold = new StepTally(PlanNode.UNTOLD, "");
  private final Set<String> warnings = new LinkedHashSet<>();
  private volatile Optional<PlanRunner> runner = Optional.empty();

  /**
   * @throws IllegalArgumentException when the check found errors
   */
  public PipelineRun(PipelineCheck check, Setting setting) {
    if (check.hasErrors()) {
      throw new IllegalArgumentException("A pipeline with errors cannot run");
    }
    this.check = check;
    this.setting = setting;
    this.setAside = setting.setAsideFile().map(SetAsideWriter::new).orElse(SetAsideWriter.NONE);
    for (PipelineDocument.Step step : RunPlan.neededSteps(check.document())) {
      StepTally tally = new StepTally(step.name(), step.verb().word());
      tally.keepAside(
          (row, field, reason, message) ->
              setAside.write(step.name(), row, field, reason, message));
      tallies.put(step.name(), tally);
    }
  }

  /** What it runs with. */
  public ExecutionContext execution() {
    return setting.execution();
  }

  /** Every step's counts at this moment, in the order of the document. */
  public List<Tally> tallies() {
    return tallies.values().stream().map(StepTally::snapshot).toList();
  }

  public Map<String, Long> setAsideByReason() {
    return setAside.countByReason();
  }

  /** Values that did not fit and became null, by step and column with a dot between. */
  public Map<String, Long> nulledByColumn() {
    return runner.map(PlanRunner::nulledByColumn).orElse(Map.of());
  }

  /** What came of the rules of check steps, as far as rows were seen. */
  public List<CheckResults.Result> checkResults() {
    return books().checkResults();
  }

  private RunBooks books() {
    return new RunBooks(check.document(), tallies);
  }

  /** Who runs the plans, given what they are counted in. */
  public interface Runners {
    PlanRunner open(TaskEndpoints endpoints, Function<String, StepTally> tallies);
  }

  /**
   * Runs in this process, and publishes.
   *
   * @throws RunFailedException saying what stopped it and where; nothing was published
   * @throws CancelledException when it was cancelled
   */
  public void execute(Publisher publisher) {
    execute(publisher, here());
  }

  /** As {@link #execute(Publisher)}, somewhere. */
  public void execute(Publisher publisher, Runners runners) {
    carryOut(
        runners,
        (publication, intake) -> {
          publication.publish(pointers -> publisher.accept(pointers, intake));
          return true;
        });
  }

  /**
   * Does all that a run does but publish, and removes what it wrote.
   *
   * @param look sees the tables as they would be, before that
   * @throws RunFailedException saying what would stop the run and where
   * @throws CancelledException when it was cancelled
   */
  public void rehearse(Consumer<List<Publication.Rehearsed>> look) {
    carryOut(
        here(),
        (publication, intake) -> {
          look.accept(publication.rehearse());
          return false;
        });
  }

  private Runners here() {
    return (endpoints, counts) ->
        new LocalRunner(new Executor(setting.execution(), endpoints, counts), endpoints);
  }

  /** What becomes of files that are written and checked; whether they are published. */
  private interface Ending {
    boolean reach(Publication publication, List<IntakeFile> intake);
  }

  private void carryOut(Runners runners, Ending ending) {
    Staging staging = setting.lake().stage(setting.run());
    boolean published = false;
    TaskEndpoints endpoints = TaskEndpoints.writing(setting.lake(), setAside, staging);
    try (setAside;
        PlanRunner plans = runners.open(endpoints, this::tally)) {
      runner = Optional.of(plans);
      Publication publication =
          new Publication(setting.lake(), staging, setting.run(), check.document().name());
      compute(plans, staging, publication);
      List<FeedReport> reports = plans.reports();
      reports.forEach(FeedReport::checkChange);
      reports.forEach(r -> r.checkShare(tallies.get(r.step()).snapshot().rowsIn()));
      books().balance();
      books().checked(setting.listener());
      books().lookedUpOnce();
      tell(reports);
      List<IntakeFile> intake =
          reports.stream().flatMap(r -> r.taken().stream()).distinct().toList();
      setting.execution().cancel().check();
      published = ending.reach(publication, intake);
    } catch (RunFailedException | CancelledException e) {
      throw e;
    } catch (Exception | OutOfMemoryError e) {
      throw RunFailures.of(e);
    } finally {
      if (!published) {
        staging.abandon();
      }
    }
  }

  /** The stages that a run would go through now; nothing runs. */
  public List<Stage> stages() {
    return StageCutter.cut(List.copyOf(roots().values()));
  }

  /** What each step writes that does. */
  private Map<PipelineDocument.Step, StageCutter.Root> roots() {
    RunPlan plan = new RunPlan(check, setting, false, this::warn);
    Map<PipelineDocument.Step, StageCutter.Root> out = new LinkedHashMap<>();
    for (PipelineDocument.Step step : check.document().steps().values()) {
      if (step.verb() instanceof Verb.Write write) {
        out.put(step, plan.write(step, write));
      }
    }
    return out;
  }

  /** Writes all files, and hands them to what will publish them. */
  private void compute(PlanRunner plans, Staging staging, Publication publication) {
    Map<PipelineDocument.Step, StageCutter.Root> roots = roots();
    List<PipelineDocument.Step> writes = List.copyOf(roots.keySet());
    plans.run(
        List.copyOf(roots.values()),
        (root, table) -> {
          PipelineDocument.Step step = writes.get(root);
          tellWritten(step.name(), (Verb.Write) step.verb(), table);
          if (isUnchanged(step)) {
            staging.discard(table.addresses());
            tallies.get(step.name()).nothingWritten();
            setting
                .listener()
                .log(
                    "%s: nothing changes in %s, so it is left as it is"
                        .formatted(step.name(), table.table()));
          } else {
            publication.add(table);
          }
        });
  }

  private StepTally tally(String step) {
    return tallies.getOrDefault(step, untold);
  }

  /** Tells of what went well and may still be of interest. */
  private void tell(List<FeedReport> reports) {
    for (FeedReport report : reports) {
      report.warnings().forEach(w -> warn("feed %s: %s".formatted(report.feed(), w)));
    }
    for (FeedReport report : reports) {
      report.notes().stream().limit(MOST_FILE_NOTES).forEach(setting.listener()::log);
    }
    tallies.forEach(
        (step, tally) ->
            tally
                .changedValues()
                .forEach(
                    (what, n) -> {
                      String told = "%s: %,d %s".formatted(step, n, what);
                      if (what.startsWith(UnknownMembers.UNKNOWN)) {
                        warn(told);
                      } else {
                        setting.listener().log(told);
                      }
                    }));
    nulledByColumn()
        .forEach(
            (column, n) ->
                setting
                    .listener()
                    .log("%,d values of %s did not fit and became null".formatted(n, column)));
  }

  /** Tells of something that somebody should look at although nothing failed. */
  private void warn(String warning) {
    synchronized (warnings) {
      if (warnings.size() < MOST_WARNINGS && warnings.add(warning)) {
        setting.listener().log("warning: " + warning);
      }
    }
  }

  /** What somebody should look at although nothing failed, in the order in which it was noticed. */
  public List<String> warnings() {
    synchronized (warnings) {
      return List.copyOf(warnings);
    }
  }

  /** Whether a step writes a dimension that nothing has changed in. */
  private boolean isUnchanged(PipelineDocument.Step write) {
    String from = write.from().get(0).text();
    return check.document().steps().get(from).verb() instanceof Verb.Dimension
        && !tallies.get(from).changedValues().containsKey(DimensionStep.CHANGES);
  }

  private void tellWritten(String step, Verb.Write write, WrittenTable written) {
    Tally done = tallies.get(step).snapshot();
    if (written.removes()) {
      setting
          .listener()
          .log(
              "%s: %,d rows of files that were replaced are taken out of %s"
                  .formatted(step, written.removedRows(), write.table()));
    }
    if (written.rewrittenRows() > 0) {
      setting
          .listener()
          .log(
              "%s: %,d rows that were in %s were written again, because %s"
                  .formatted(
                      step,
                      written.rewrittenRows(),
                      write.table(),
                      written.retypes()
                          ? "a column has another type now"
                          : "their files had rows that were replaced"));
    }
    setting
        .listener()
        .log(
            "%s: %,d rows for %s in %,d files, %s"
                .formatted(
                    step,
                    done.rowsOut(),
                    write.table(),
                    done.filesWritten(),
                    Sizes.text(done.bytesWritten())));
    warnOfShrinking(step, write, done.rowsOut());
  }

  private void warnOfShrinking(String step, Verb.Write write, long rows) {
    long before =
        write.mode() == WriteMode.REPLACE
            ? setting.catalog().table(write.table()).map(LakeTable::rowCount).orElse(0L)
            : 0;
    if (before > 0 && rows < before * (1 - write.mayShrink())) {
      warn(
          "%s: %s had %,d rows and gets %,d, %.0f %% fewer; a write says with may-shrink how many may go without a word"
              .formatted(step, write.table(), before, rows, 100.0 * (before - rows) / before));
    }
  }

  /**
   * The first rows that a step gives, over all files of its feeds, without publishing anything.
   *
   * @param enough how many rows are read before it stops; a few more may come
   */
  public List<Batch> rowsOf(String step, long enough) {
    TaskEndpoints endpoints = TaskEndpoints.reading(setting.lake(), setAside);
    try {
      tallies.computeIfAbsent(step, s -> new StepTally(s, ""));
      PlanNode plan = new RunPlan(check, setting, false, this::warn).rowsOf(step);
      return new Executor(setting.execution(), endpoints, this::tally).collect(plan, step, enough);
    } catch (Exception | OutOfMemoryError e) {
      throw RunFailures.of(e);
    } finally {
      endpoints.close();
    }
  }

  /** Sees rows that go out of a step, all columns of them; called by many threads. */
  public interface Watcher {
    void see(String step, Batch batch);
  }

  /** Runs all steps up to some that write, for somebody to look on; nothing is written. */
  public void watch(List<String> writes, Watcher watcher) {
    tallies.forEach((step, tally) -> tally.watch(batch -> watcher.see(step, batch)));
    TaskEndpoints endpoints = TaskEndpoints.reading(setting.lake(), setAside);
    try (setAside) {
      RunPlan plan = new RunPlan(check, setting, true, this::warn);
      List<PlanNode> plans = writes.stream().map(plan::rowsOf).toList();
      new Executor(setting.execution(), endpoints, this::tally)
          .run(plans, worker -> batch -> {}, PlanNode.UNTOLD);
    } catch (Exception | OutOfMemoryError e) {
      throw RunFailures.of(e);
    } finally {
      endpoints.close();
    }
  }
}

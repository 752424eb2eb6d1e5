package yardage.core.pipeline;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.BiConsumer;
import org.apache.calcite.rel.RelNode;
import yardage.core.column.Batch;
import yardage.core.column.Schema;
import yardage.core.exec.CancelledException;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.FullDisk;
import yardage.core.exec.MemoryExceededException;
import yardage.core.exec.PhysicalNode;
import yardage.core.exec.Sizes;
import yardage.core.exec.StepFailedException;
import yardage.core.exec.StepTally;
import yardage.core.exec.Tally;
import yardage.core.expr.Expression;
import yardage.core.expr.ExpressionException;
import yardage.core.feed.FeedChangedException;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedException;
import yardage.core.feed.FeedScan;
import yardage.core.feed.FileDiscovery;
import yardage.core.feed.IntakeChoice;
import yardage.core.feed.IntakeFile;
import yardage.core.feed.KnownFiles;
import yardage.core.feed.Quarantine;
import yardage.core.feed.SetAsideWriter;
import yardage.core.feed.StillFiles;
import yardage.core.format.FileFormatException;
import yardage.core.lake.ColumnPredicate;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeException;
import yardage.core.lake.LakeTable;
import yardage.core.lake.Partitioning;
import yardage.core.lake.PointerChange;
import yardage.core.lake.Publication;
import yardage.core.lake.Staging;
import yardage.core.lake.TableWriter;
import yardage.core.lake.WriteMode;
import yardage.core.sql.Relation;
import yardage.core.sql.StepBorder;
import yardage.core.star.DimensionStep;
import yardage.core.star.UnknownMembers;

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
      Optional<Path> setAsideFile,
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
  private static final int MOST_NOTES = 100;

  private final PipelineCheck check;
  private final Setting setting;
  private final SetAsideWriter setAside;
  private final Map<String, StepTally> tallies = new LinkedHashMap<>();
  private final Map<String, Integer> readers = new HashMap<>();
  private final Map<String, SharedStep> shared = new HashMap<>();
  private final Map<String, FeedScan> scans = new LinkedHashMap<>();
  private final Map<String, List<FileDiscovery.Found>> filesByFeed = new HashMap<>();
  private final Map<String, Set<String>> replacedByFeed = new HashMap<>();

  private final Set<String> warnings = new LinkedHashSet<>();

  /** Whether columns that nobody needs are carried along. */
  private boolean whole;

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
    for (PipelineDocument.Step step : needed()) {
      StepTally tally = new StepTally(step.name(), step.verb().word());
      tally.keepAside(
          (row, field, reason, message) ->
              setAside.write(step.name(), row, field, reason, message));
      if (step.verb() instanceof Verb.JoinStep join && join.atMostOne()) {
        tally.keepMultipliedKeys();
      }
      if (step.verb() instanceof Verb.JoinStep join && join.holdMain()) {
        tally.holdMain();
      }
      tallies.put(step.name(), tally);
      step.inputs().forEach(i -> readers.merge(i.text(), 1, Integer::sum));
    }
  }

  /** The steps that some write needs, in the order of the document. */
  private List<PipelineDocument.Step> needed() {
    Map<String, PipelineDocument.Step> steps = check.document().steps();
    Set<String> needed = new HashSet<>();
    java.util.ArrayDeque<String> open = new java.util.ArrayDeque<>();
    steps.values().stream()
        .filter(s -> s.verb() instanceof Verb.Write)
        .forEach(s -> open.add(s.name()));
    while (!open.isEmpty()) {
      String name = open.pop();
      if (needed.add(name)) {
        steps.get(name).inputs().forEach(i -> open.add(i.text()));
      }
    }
    return steps.values().stream().filter(s -> needed.contains(s.name())).toList();
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
    Map<String, Long> out = new java.util.TreeMap<>();
    Map<String, FeedScan> now;
    synchronized (scans) {
      now = new LinkedHashMap<>(scans);
    }
    now.forEach((step, scan) -> scan.nulled().forEach((c, n) -> out.put(step + "." + c, n)));
    return out;
  }

  /**
   * Runs and publishes.
   *
   * @throws RunFailedException saying what stopped it and where; nothing was published
   * @throws CancelledException when it was cancelled
   */
  public void execute(Publisher publisher) {
    Staging staging = setting.lake().stage(setting.run());
    boolean published = false;
    try (setAside;
        Executor executor = new Executor(setting.execution())) {
      Publication publication =
          new Publication(setting.lake(), staging, setting.run(), check.document().name());
      for (PipelineDocument.Step step : check.document().steps().values()) {
        if (step.verb() instanceof Verb.Write write) {
          int mark = staging.mark();
          TableWriter writer = write(step, write, executor, staging);
          if (isUnchanged(step)) {
            staging.discardSince(mark);
            tallies.get(step.name()).nothingWritten();
            setting
                .listener()
                .log(
                    "%s: nothing changes in %s, so it is left as it is"
                        .formatted(step.name(), write.table()));
          } else {
            publication.add(writer);
          }
        }
      }
      List<IntakeFile> intake =
          scans.values().stream().flatMap(s -> s.taken().stream()).distinct().toList();
      scans.values().forEach(FeedScan::checkChange);
      scans.values().forEach(FeedScan::checkShare);
      balance();
      checked();
      lookedUpOnce();
      scans.forEach(
          (step, scan) ->
              scan.warnings().forEach(w -> warn("feed %s: %s".formatted(feedOf(step), w))));
      scans.values().stream()
          .flatMap(s -> s.notes().stream().limit(MOST_FILE_NOTES))
          .forEach(setting.listener()::log);
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
      setting.execution().cancel().check();
      publication.publish(pointers -> publisher.accept(pointers, intake));
      published = true;
    } catch (RunFailedException | CancelledException e) {
      throw e;
    } catch (Exception | OutOfMemoryError e) {
      throw failure(e);
    } finally {
      if (!published) {
        scans.values().forEach(FeedScan::close);
        staging.abandon();
      }
    }
  }

  private String feedOf(String step) {
    return check.document().steps().get(step).verb() instanceof Verb.ReadFeed r
        ? r.feed().text()
        : step;
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

  private TableWriter write(
      PipelineDocument.Step step, Verb.Write write, Executor executor, Staging staging) {
    StepTally tally = tallies.get(step.name());
    Schema schema = check.schema(step.name());
    Optional<TableWriter.Removal> removal = removal(step);
    TableWriter writer =
        new TableWriter(
            setting.lake(),
            new TableWriter.Target(
                write.table(),
                new Partitioning(schema, write.partition()),
                write.mode(),
                write.key().stream().map(Located::text).toList(),
                write.columns() == Verb.Write.Columns.FOLLOW,
                write.sort(),
                write.targetBytes(),
                removal),
            schema,
            setting.run() + "-" + step.name(),
            staging,
            tally,
            setting.execution());
    RelNode root = check.session().optimize(algebra(step.name()));
    PhysicalNode plan = check.session().physical().plan(root, tally, tallies::get);
    executor.run(plan, writer, tally);
    Tally done = tally.snapshot();
    if (removal.isPresent()) {
      setting
          .listener()
          .log(
              "%s: %,d rows of files that were replaced are taken out of %s"
                  .formatted(step.name(), writer.removedRows(), write.table()));
    }
    if (writer.rewrittenRows() > 0) {
      setting
          .listener()
          .log(
              "%s: %,d rows that were in %s were written again, because %s"
                  .formatted(
                      step.name(),
                      writer.rewrittenRows(),
                      write.table(),
                      writer.retypes()
                          ? "a column has another type now"
                          : "their files had rows that were replaced"));
    }
    setting
        .listener()
        .log(
            "%s: %,d rows for %s in %,d files, %s"
                .formatted(
                    step.name(),
                    done.rowsOut(),
                    write.table(),
                    done.filesWritten(),
                    Sizes.text(done.bytesWritten())));
    warnOfShrinking(step.name(), write, done.rowsOut());
    return writer;
  }

  /** The rows of earlier contents of replaced files, which go with an append. */
  private Optional<TableWriter.Removal> removal(PipelineDocument.Step step) {
    Optional<ReplacedFiles.Place> place = ReplacedFiles.of(check, setting.catalog(), step.name());
    if (place.isEmpty()) {
      return Optional.empty();
    }
    Set<String> paths = new HashSet<>();
    for (String name : place.get().feeds()) {
      FeedDefinition feed = setting.catalog().feed(name).orElseThrow();
      files(feed);
      paths.addAll(replacedByFeed.get(name));
    }
    return paths.isEmpty()
        ? Optional.empty()
        : Optional.of(new TableWriter.Removal(place.get().column(), paths));
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

  /** The algebra of a step as an input of another, with the border between them. */
  private RelNode input(String name, String into, boolean right) {
    if (readers.getOrDefault(name, 0) > 1) {
      SharedStep once = shared.computeIfAbsent(name, SharedStep::new);
      return new StepBorder(
          check.session().scan(name, once), Optional.empty(), Optional.of(into), right);
    }
    return new StepBorder(algebra(name), Optional.of(name), Optional.of(into), right);
  }

  private RelNode algebra(String name) {
    PipelineDocument.Step step = check.document().steps().get(name);
    if (step.verb() instanceof Verb.ReadFeed read) {
      return check
          .session()
          .scan(
              name,
              new FeedRelation(setting.catalog().feed(read.feed().text()).orElseThrow(), name));
    }
    if (step.verb() instanceof Verb.ReadTable read) {
      return check
          .session()
          .scan(
              name,
              new TableRelation(read.of(setting.catalog().table(read.table()).orElseThrow())));
    }
    if (step.verb() instanceof Verb.CalendarDays days && days.holidays().isEmpty()) {
      return check.session().scan(name, new CalendarRelation(days.calendar()));
    }
    List<RelNode> inputs = new ArrayList<>();
    List<Located> all = step.inputs();
    for (int i = 0; i < all.size(); i++) {
      inputs.add(input(all.get(i).text(), name, step.isLookUp(i)));
    }
    return check.body(name).build().apply(inputs);
  }

  /** A step that several others read: planned and computed once. */
  private final class SharedStep implements Relation {
    private final String name;
    private PhysicalNode.Shared node;

    SharedStep(String name) {
      this.name = name;
    }

    @Override
    public Schema schema() {
      return check.schema(name);
    }

    @Override
    public double rowCount() {
      return 100_000;
    }

    @Override
    public PhysicalNode read(int[] columns, List<ColumnPredicate> predicates, StepTally tally) {
      if (node == null) {
        StepTally mine = tallies.get(name);
        RelNode rel =
            optimized(new StepBorder(algebra(name), Optional.of(name), Optional.empty(), false));
        node =
            new PhysicalNode.Shared(check.session().physical().plan(rel, mine, tallies::get), mine);
      }
      Schema projected = schema().project(columns);
      List<Expression> refs = new ArrayList<>();
      for (int c : columns) {
        refs.add(Expression.input(c, schema().field(c).type()));
      }
      return columns.length == schema().size()
          ? node
          : new PhysicalNode.Project(node, refs, projected);
    }
  }

  private final class FeedRelation implements Relation {
    private final FeedDefinition feed;
    private final String step;

    FeedRelation(FeedDefinition feed, String step) {
      this.feed = feed;
      this.step = step;
    }

    @Override
    public Schema schema() {
      return feed.schema();
    }

    @Override
    public double rowCount() {
      return files(feed).stream().mapToLong(FileDiscovery.Found::sizeBytes).sum() / 50.0 + 1;
    }

    @Override
    public PhysicalNode read(int[] columns, List<ColumnPredicate> predicates, StepTally tally) {
      FeedScan scan =
          new FeedScan(
              feed,
              FileDiscovery.folder(setting.lake().raw(), feed),
              files(feed),
              columns,
              tallies.get(step),
              setAside,
              setting.run(),
              setting.startedAt());
      synchronized (scans) {
        scans.put(step, scan);
      }
      return new PhysicalNode.Scan(scan, schema().project(columns), tallies.get(step));
    }
  }

  /** The files that this run takes from a feed; the same for every step that reads it. */
  private List<FileDiscovery.Found> files(FeedDefinition feed) {
    return filesByFeed.computeIfAbsent(
        feed.name(),
        n -> {
          List<FileDiscovery.Found> found =
              StillFiles.find(setting.lake().raw(), feed, setting.execution().cancel());
          Quarantine quarantine = setting.known().inQuarantine(n);
          quarantine.told(found).forEach(h -> warn("feed %s: %s".formatted(n, h)));
          List<FileDiscovery.Found> all = quarantine.without(found);
          FileDiscovery.withoutFiles(feed, found)
              .forEach(p -> warn("feed %s: no file matches [%s]".formatted(n, p)));
          IntakeChoice choice =
              IntakeChoice.of(
                  feed,
                  all,
                  setting.known().of(feed.name()),
                  setting.known().earlier(feed.name()),
                  java.time.Instant.now());
          replacedByFeed.put(n, choice.replaced());
          List<FileDiscovery.Found> taken = choice.taken();
          choice.notes().stream()
              .limit(MOST_NOTES)
              .forEach(note -> setting.listener().log("feed %s: %s".formatted(n, note)));
          setting
              .listener()
              .log(
                  "feed %s: %,d of %,d files to take in, %s"
                      .formatted(
                          feed.name(),
                          taken.size(),
                          all.size(),
                          Sizes.text(
                              taken.stream().mapToLong(FileDiscovery.Found::sizeBytes).sum())));
          return taken;
        });
  }

  /**
   * @throws RunFailedException naming the first look-up that found more than one row for a key
   */
  private void lookedUpOnce() {
    for (PipelineDocument.Step step : check.document().steps().values()) {
      StepTally tally = tallies.get(step.name());
      if (tally == null
          || !(step.verb() instanceof Verb.JoinStep join)
          || !join.atMostOne()
          || tally.snapshot().multiplied() == 0) {
        continue;
      }
      String keys =
          tally.multipliedKeys().stream()
              .limit(5)
              .map(k -> "[%s] (%,d rows more)".formatted(k.getKey(), k.getValue()))
              .collect(java.util.stream.Collectors.joining(", "));
      throw new RunFailedException(
          "lookup-not-unique",
          step.name(),
          "Step [%s] looks up at most one row, and [%s] has several for %,d of its keys, such as %s; nothing was published. Dedupe [%s] by its key first, or join with kind: left"
              .formatted(
                  step.name(),
                  join.with().text(),
                  tally.multipliedKeys().size(),
                  keys,
                  join.with().text()),
          null);
    }
  }

  /**
   * The first rows that a step gives, over all files of its feeds, without publishing anything.
   *
   * @param enough how many rows are read before it stops; a few more may come
   */
  List<Batch> rowsOf(String step, long enough) {
    StepTally tally = tallies.getOrDefault(step, new StepTally(step, ""));
    try (Executor executor = new Executor(setting.execution())) {
      RelNode root =
          check
              .session()
              .optimize(new StepBorder(algebra(step), Optional.of(step), Optional.empty(), false));
      return executor.collect(
          check.session().physical().plan(root, tally, tallies::get), tally, enough);
    } catch (Exception | OutOfMemoryError e) {
      throw failure(e);
    } finally {
      scans.values().forEach(FeedScan::close);
    }
  }

  /** Sees rows that go out of a step, all columns of them; called by many threads. */
  interface Watcher {
    void see(String step, Batch batch);
  }

  /** Runs all steps up to some that write, for somebody to look on; nothing is written. */
  void watch(List<String> writes, Watcher watcher) {
    whole = true;
    tallies.forEach((step, tally) -> tally.watch(batch -> watcher.see(step, batch)));
    StepTally end = new StepTally("watch", "");
    try (setAside;
        Executor executor = new Executor(setting.execution())) {
      for (String write : writes) {
        RelNode root =
            optimized(new StepBorder(algebra(write), Optional.of(write), Optional.empty(), false));
        executor.run(
            check.session().physical().plan(root, end, tallies::get), worker -> batch -> {}, end);
      }
    } catch (Exception | OutOfMemoryError e) {
      throw failure(e);
    } finally {
      scans.values().forEach(FeedScan::close);
    }
  }

  private RelNode optimized(RelNode rel) {
    return whole ? check.session().optimizeWhole(rel) : check.session().optimize(rel);
  }

  /** What came of the rules of check steps, as far as rows were seen. */
  public List<CheckResults.Result> checkResults() {
    return CheckResults.of(check.document(), tallies);
  }

  /**
   * @throws RunFailedException naming the first rule that was not met and stops a run
   */
  private void checked() {
    for (CheckResults.Result r : checkResults()) {
      setting
          .listener()
          .log("%s: rule %s %s: %s".formatted(r.step(), r.rule(), r.outcome(), r.words()));
    }
    for (CheckResults.Result r : checkResults()) {
      if (r.outcome().equals("stopped")) {
        throw new RunFailedException(
            "check-failed",
            r.step(),
            "Rule [%s] of step [%s] was not met, so nothing was published: %s"
                .formatted(r.rule(), r.step(), r.words()),
            null);
      }
    }
  }

  /**
   * @throws RunFailedException naming the first step whose rows do not add up
   */
  private void balance() {
    for (Map.Entry<String, StepTally> e : tallies.entrySet()) {
      Tally t = e.getValue().snapshot();
      long expectedIn = 0;
      long expectedRight = 0;
      PipelineDocument.Step step = check.document().steps().get(e.getKey());
      for (int i = 0; i < step.inputs().size(); i++) {
        long out = tallies.get(step.inputs().get(i).text()).snapshot().rowsOut();
        if (step.isLookUp(i)) {
          expectedRight += out;
        } else {
          expectedIn += out;
        }
      }
      boolean reads = step.from().isEmpty();
      if (t.imbalance() != 0
          || (!reads && t.rowsIn() != expectedIn)
          || t.rightIn() != expectedRight) {
        throw new RunFailedException(
            "books-do-not-balance",
            e.getKey(),
            "The books of step [%s] do not balance: %s; nothing was published. This is a fault of the engine: please report it with the run's document"
                .formatted(e.getKey(), t),
            null);
      }
    }
  }

  private RunFailedException failure(Throwable thrown) {
    String step = thrown instanceof StepFailedException f ? f.step() : "";
    Throwable e = thrown instanceof StepFailedException f ? f.reason() : thrown;
    String code =
        e instanceof FeedException
            ? "feed"
            : e instanceof FeedChangedException
                ? "feed-changed"
                : e instanceof FileFormatException
                    ? "file-format"
                    : e instanceof ExpressionException
                        ? "value"
                        : e instanceof LakeException
                            ? "table"
                            : e instanceof MemoryExceededException || e instanceof OutOfMemoryError
                                ? "memory"
                                : e instanceof UncheckedIOException || e instanceof IOException
                                    ? "storage"
                                    : "engine";
    String message = e.getMessage() == null ? e.toString() : e.getMessage();
    if (FullDisk.is(e)) {
      message = "The disk is full: " + message + "; free some space, then run again";
    }
    return new RunFailedException(code, step, message, e);
  }
}

package yardage.core.testing;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import yardage.core.document.Problem;
import yardage.core.exec.CancelToken;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Executor;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.ReadCache;
import yardage.core.exec.Scratch;
import yardage.core.exec.StepTally;
import yardage.core.exec.Tally;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.IntakeFile;
import yardage.core.feed.KnownFiles;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeTable;
import yardage.core.lake.OpenedTables;
import yardage.core.lake.PointerChange;
import yardage.core.lake.PointerStore;
import yardage.core.lake.Publication;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.pipeline.insight.DuplicateInsight;
import yardage.core.pipeline.insight.JoinInsight;
import yardage.core.pipeline.read.PartDocument;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.plan.PlanNode;
import yardage.core.plan.StageText;
import yardage.core.sql.KeptPlans;
import yardage.core.sql.PlanSession;
import yardage.core.sql.Relation;
import yardage.core.storage.LocalStorage;
import yardage.core.storage.Place;
import yardage.core.task.TaskEndpoints;

/**
 * A lake in a folder whose pointers and intake ledger live in memory, with feeds given as text:
 * pipelines without a service.
 */
public final class TestLake implements PointerStore, Catalog {
  public static final Instant STARTED_AT = Instant.parse("2026-11-23T09:00:00Z");

  private final Map<TableName, String> pointers = new TreeMap<>();
  private final Map<String, FeedDefinition> feeds = new LinkedHashMap<>();
  private final Map<String, Map<String, KnownFiles.Known>> known = new HashMap<>();
  private final Map<String, Map<String, KnownFiles.Earlier>> earlier = new HashMap<>();
  private final Map<String, PartDocument> parts = new LinkedHashMap<>();
  private final Path folder;
  private final Lake lake;
  private final KeptPlans plans;
  private int runs;
  private PipelineRun lastRun;
  private Optional<PipelineRun.Runners> runners = Optional.empty();
  private final List<String> log = new ArrayList<>();

  public TestLake(Path folder) {
    this(LocalStorage.place(folder), folder);
  }

  /**
   * @param folder for what is not the lake's: rows that are set aside
   */
  public TestLake(Place root, Path folder) {
    this(root, folder, ReadCache.none());
  }

  /**
   * @param cache of what is read of tables
   */
  public TestLake(Place root, Path folder, ReadCache cache) {
    this.folder = folder;
    this.lake = new Lake(root, this, Map.of(), new OpenedTables(cache));
    this.plans = new KeptPlans(cache);
  }

  public Lake lake() {
    return lake;
  }

  /** As if so many runs had been before, whose names are taken. */
  public TestLake afterRuns(int count) {
    runs = count;
    return this;
  }

  /** Has something else run the plans of runs. */
  public TestLake ranBy(PipelineRun.Runners runners) {
    this.runners = Optional.of(runners);
    return this;
  }

  public TestLake withPointer(TableName table, String location) {
    pointers.put(table, location);
    return this;
  }

  public TestLake withPointersOf(TestLake other) {
    pointers.putAll(other.pointers);
    return this;
  }

  public List<String> log() {
    return log;
  }

  public PipelineRun lastRun() {
    return lastRun;
  }

  public TestLake declare(String text) {
    FeedDefinition.Parsed parsed = FeedDefinition.parse(text);
    FeedDefinition feed =
        parsed.feed().orElseThrow(() -> new AssertionError(parsed.problems().toString()));
    feeds.put(feed.name(), feed);
    return this;
  }

  /** A part that pipelines may use. */
  public TestLake declarePart(String text) {
    PartDocument.Parsed parsed = PartDocument.parse(text);
    parts.put(
        parsed.name(),
        parsed.part().orElseThrow(() -> new AssertionError(parsed.problems().toString())));
    return this;
  }

  @Override
  public Optional<PartDocument> part(String name) {
    return Optional.ofNullable(parts.get(name));
  }

  @Override
  public List<String> parts() {
    return List.copyOf(parts.keySet());
  }

  /** The inbox as a folder of this machine. */
  public Path inbox() {
    return Path.of(lake.inbox().toString());
  }

  public TestLake file(String path, String contents) {
    return file(path, contents.getBytes(StandardCharsets.UTF_8));
  }

  public TestLake file(String path, byte[] contents) {
    try {
      Path file = inbox().resolve(path);
      Files.createDirectories(file.getParent());
      Files.write(file, contents);
      // Old enough that no run waits until it is still.
      Files.setLastModifiedTime(
          file, java.nio.file.attribute.FileTime.from(Instant.now().minusSeconds(60)));
      return this;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  public PipelineCheck check(String pipeline) {
    return PipelineCheck.of(PipelineDocument.parse(pipeline), this, Map.of());
  }

  /** Runs and publishes; gives each step's tally. */
  public Map<String, Tally> run(String pipeline) {
    return run(pipeline, 256L << 20);
  }

  public Map<String, Tally> run(String pipeline, long memoryBytes) {
    PipelineCheck check = check(pipeline);
    if (check.hasErrors()) {
      throw new AssertionError(
          String.join("\n", check.problems().stream().map(Problem::toString).toList()));
    }
    var execution =
        new ExecutionContext(
            MemoryPool.root("the run", memoryBytes),
            Scratch.temporary(1L << 40),
            new CancelToken(),
            2);
    lastRun =
        new PipelineRun(
            check,
            new PipelineRun.Setting(
                "test" + ++runs,
                STARTED_AT,
                lake,
                this,
                knownTo(check.document().name()),
                Optional.of(LocalStorage.place(folder.resolve("set-aside/" + runs + ".jsonl"))),
                execution,
                log::add));
    PipelineRun.Publisher publisher =
        (changes, intake) -> publish(check.document().name(), changes, intake);
    if (runners.isPresent()) {
      lastRun.execute(publisher, runners.get());
    } else {
      lastRun.execute(publisher);
    }
    if (execution.memory().usedBytes() != 0) {
      throw new AssertionError("The run kept " + execution.memory().usedBytes() + " bytes");
    }
    Map<String, Tally> out = new LinkedHashMap<>();
    lastRun.tallies().forEach(t -> out.put(t.step(), t));
    return out;
  }

  /** The stages that a run would go through, as text. */
  public String stages(String pipeline) {
    return StageText.of(look(check(pipeline)).stages());
  }

  /** What a join of a pipeline finds, over all files of its feeds. */
  public JoinInsight diagnose(String pipeline, String step) {
    PipelineCheck check = check(pipeline);
    return JoinInsight.of(check, look(check), step);
  }

  /** What a dedupe of a pipeline takes for the same, over all files of its feeds. */
  public DuplicateInsight duplicates(String pipeline, String step, String find) {
    PipelineCheck check = check(pipeline);
    return DuplicateInsight.of(check, look(check), step, find, 100);
  }

  private PipelineRun look(PipelineCheck check) {
    return new PipelineRun(check, toLook());
  }

  /** What a look at all files of feeds goes with. */
  public PipelineRun.Setting toLook() {
    var execution =
        new ExecutionContext(
            MemoryPool.root("the look", 256L << 20),
            Scratch.temporary(1L << 40),
            new CancelToken(),
            2);
    return new PipelineRun.Setting(
        "look", STARTED_AT, lake, this, feed -> Map.of(), Optional.empty(), execution, log::add);
  }

  private KnownFiles knownTo(String pipeline) {
    return new KnownFiles() {
      @Override
      public Map<String, Known> of(String feed) {
        return known.getOrDefault(pipeline + "/" + feed, Map.of());
      }

      @Override
      public Map<String, Earlier> earlier(String feed) {
        return earlier.getOrDefault(pipeline + "/" + feed, Map.of());
      }
    };
  }

  private void publish(String pipeline, List<PointerChange> changes, List<IntakeFile> intake) {
    swap(changes);
    for (IntakeFile f : intake) {
      String key = pipeline + "/" + f.feed();
      Optional.ofNullable(known.getOrDefault(key, Map.of()).get(f.path()))
          .ifPresent(
              k ->
                  earlier
                      .computeIfAbsent(key, n -> new HashMap<>())
                      .put(k.contentHash(), new KnownFiles.Earlier(f.path(), k.sizeBytes())));
    }
    intake.forEach(
        f ->
            known
                .computeIfAbsent(pipeline + "/" + f.feed(), k -> new HashMap<>())
                .put(f.path(), new KnownFiles.Known(f.sizeBytes(), f.modified(), f.contentHash())));
  }

  /** Moves pointers as a service would. */
  public void swap(List<PointerChange> changes) {
    for (PointerChange change : changes) {
      if (!Optional.ofNullable(pointers.get(change.table())).equals(change.expected())) {
        throw new Publication.ConflictException(change.table().toString());
      }
    }
    changes.forEach(c -> pointers.put(c.table(), c.location()));
  }

  /** The rows of a query over the tables. */
  public List<List<Object>> query(String sql) {
    return query(sql, new StepTally("query", "sql"));
  }

  /** As {@link #query(String)}, counted. */
  public List<List<Object>> query(String sql, StepTally tally) {
    Map<String, Relation> relations = new LinkedHashMap<>();
    pointers
        .keySet()
        .forEach(t -> relations.put(t.toString(), new TableRelation(table(t).orElseThrow())));
    return query(planned(sql, relations), tally);
  }

  /** A query that names the tables of a namespace without it. */
  public List<List<Object>> queryWithin(String namespace, String sql) {
    Map<String, String> states = new TreeMap<>();
    pointers.forEach(
        (t, at) -> {
          if (t.namespace().equals(namespace)) {
            states.put(t.name(), at);
          }
        });
    return query(
        plans
            .plan(
                new KeptPlans.Question(sql, Map.of(), List.of(namespace)),
                name -> Optional.ofNullable(states.get(name)),
                () -> {
                  Map<String, Relation> relations = new LinkedHashMap<>();
                  for (String name : states.keySet()) {
                    TableName table = new TableName(namespace, name);
                    relations.put(name, new TableRelation(table(table).orElseThrow()));
                  }
                  return new KeptPlans.Made(planned(sql, relations), Optional.of(states));
                })
            .plan(),
        new StepTally("query", "sql"));
  }

  private static PlanNode planned(String sql, Map<String, Relation> relations) {
    PlanSession session = new PlanSession();
    PlanSession.Planned planned =
        session.plan(session.parseQuery(sql, 1, 1), new PlanSession.Scope(relations));
    return session.physical().plan(session.optimize(planned.rel()), "query");
  }

  private List<List<Object>> query(PlanNode plan, StepTally tally) {
    Executor executor =
        new Executor(
            ExecutionContext.standalone(1L << 30),
            TaskEndpoints.reading(lake),
            step -> step.equals(tally.step()) ? tally : new StepTally(step, "sql"));
    return Rows.rows(executor.collect(plan, "query"));
  }

  @Override
  public Optional<String> metadataLocation(TableName table) {
    return Optional.ofNullable(pointers.get(table));
  }

  @Override
  public List<TableName> tables() {
    return List.copyOf(pointers.keySet());
  }

  @Override
  public Optional<FeedDefinition> feed(String name) {
    return Optional.ofNullable(feeds.get(name));
  }

  @Override
  public List<String> feeds() {
    return List.copyOf(feeds.keySet());
  }

  @Override
  public Optional<LakeTable> table(TableName name) {
    return lake.table(name);
  }
}

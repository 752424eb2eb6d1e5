package yardage.service.runs;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import tools.jackson.core.type.TypeReference;
import tools.jackson.databind.DeserializationFeature;
import tools.jackson.databind.ObjectMapper;
import yardage.core.document.Names;
import yardage.core.exec.Tally;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.compile.PlannedTables;
import yardage.core.pipeline.describe.StepCatalog;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.storage.LocalStorage;
import yardage.core.storage.Place;
import yardage.service.YardageProperties;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.feeds.FeedService;
import yardage.service.lake.LakeService;
import yardage.service.web.ApiException;

/** Asks for runs, cancels them, and shows them. */
@Service
public class RunService {
  private final RunMapper mapper;
  private final RunQueue queue;
  private final DocumentStore documents;
  private final FeedService feeds;
  private final LakeService lake;
  private final YardageProperties properties;
  private final Clock clock;
  private final ObjectMapper json;

  RunService(
      RunMapper mapper,
      RunQueue queue,
      DocumentStore documents,
      FeedService feeds,
      LakeService lake,
      YardageProperties properties,
      Clock clock,
      ObjectMapper json) {
    this.mapper = mapper;
    this.queue = queue;
    this.documents = documents;
    this.feeds = feeds;
    this.lake = lake;
    this.properties = properties;
    this.clock = clock;
    this.json = json;
  }

  /** Where a run keeps the rows that it sets aside. */
  public static Place setAsideFile(YardageProperties properties, long run) {
    return LocalStorage.place(properties.home()).child("set-aside/run-%d.jsonl".formatted(run));
  }

  /** Queues a run of the newest version, after checking it with its parameters. */
  public RunView.RunSummary request(String pipeline, Map<String, String> parameters, String by) {
    StoredDocument document = documents.require(DocumentStore.Kind.PIPELINE, pipeline);
    PipelineCheck check =
        PipelineCheck.of(
            PipelineDocument.parse(document.text()),
            new PlannedTables(feeds, pipeline, () -> documents.texts(DocumentStore.Kind.PIPELINE)),
            parameters);
    if (check.hasErrors()) {
      throw ApiException.invalidDocument(pipeline, check.problems());
    }
    check.awaited().entrySet().stream()
        .findFirst()
        .ifPresent(
            a -> {
              throw new ApiException(
                  HttpStatus.CONFLICT,
                  "not-there-yet",
                  "Pipeline [%s] reads table [%s], which is not there yet"
                      .formatted(pipeline, a.getKey()),
                  "Run [%s] first, which writes it".formatted(a.getValue()));
            });
    pausedFeed(check.document())
        .ifPresent(
            why -> {
              throw new ApiException(
                  HttpStatus.CONFLICT,
                  "paused",
                  "Pipeline [%s] does not run: %s".formatted(pipeline, why),
                  "Resume the feed first: yardage feed resume NAME");
            });
    RunMapper.NewRun run = newRun(document, parameters, "request", by, null);
    mapper.insert(run);
    return find(run.id).summary();
  }

  /** Why the schedule of a pipeline rests, in words: it is paused, or a feed that it reads is. */
  public Optional<String> paused(String pipeline, PipelineDocument document) {
    return documents.paused(DocumentStore.Kind.PIPELINE, pipeline).or(() -> pausedFeed(document));
  }

  private Optional<String> pausedFeed(PipelineDocument document) {
    return PipelineCheck.feedsOf(document).stream()
        .flatMap(
            f ->
                documents
                    .paused(DocumentStore.Kind.FEED, f)
                    .map(why -> "feed %s is %s".formatted(f, why))
                    .stream())
        .findFirst();
  }

  /** Queues the run of a due time; does nothing when that has one, or the pipeline is paused. */
  public boolean requestDue(String pipeline, Instant due) {
    Optional<StoredDocument> document = documents.find(DocumentStore.Kind.PIPELINE, pipeline);
    return document.isPresent()
        && paused(pipeline, PipelineDocument.parse(document.get().text())).isEmpty()
        && mapper.insert(newRun(document.get(), Map.of(), "schedule", "schedule", due)) == 1;
  }

  private RunMapper.NewRun newRun(
      StoredDocument document,
      Map<String, String> parameters,
      String cause,
      String by,
      Instant due) {
    Map<String, Integer> versions = new TreeMap<>();
    documents.latest(DocumentStore.Kind.FEED).forEach(f -> versions.put(f.name(), f.version()));
    for (String part : PipelineDocument.parse(document.text()).parts()) {
      documents
          .find(DocumentStore.Kind.PART, part)
          .ifPresent(p -> versions.put(PinnedCatalog.keyOfPart(part), p.version()));
    }
    RunMapper.NewRun run = new RunMapper.NewRun();
    run.pipeline = document.name();
    run.documentVersion = document.version();
    run.feedVersions = json.writeValueAsString(versions);
    run.parameters = json.writeValueAsString(parameters);
    run.cause = cause;
    run.requestedBy = by;
    run.requestedAt = clock.instant();
    run.dueAt = due;
    return run;
  }

  /** Cancels at once what is queued, and asks a running one to stop. */
  public RunView.RunSummary cancel(long id, String by) {
    RunRow row = row(id);
    if (mapper.cancelQueued(id, by, clock.instant()) == 0
        && mapper.askToCancel(id, by) == 0
        && row.cancelAskedBy() == null) {
      throw new ApiException(
          HttpStatus.CONFLICT,
          "run-ended",
          "Run %d has ended already: %s".formatted(id, row.state()),
          "There is nothing to cancel");
    }
    queue.cancelHere(id);
    return summary(row(id));
  }

  public List<RunView.RunSummary> list(String pipeline, String state, long before, int limit) {
    String wanted = state.toLowerCase(Locale.ROOT);
    if (!wanted.isEmpty() && !RunState.words().contains(wanted)) {
      throw new ApiException(
          HttpStatus.BAD_REQUEST,
          "wrong-value",
          "There is no state [%s] of runs%s"
              .formatted(state, Names.instead(wanted, RunState.words())),
          "Ask for one of " + String.join(", ", RunState.words()));
    }
    List<RunView.RunSummary> found =
        mapper.list(pipeline, wanted, before, limit).stream().map(this::summary).toList();
    if (found.isEmpty() && !pipeline.isEmpty()) {
      requireKnown(pipeline);
    }
    return found;
  }

  /**
   * @throws ApiException when there is no such pipeline, and never was a run of one
   */
  void requireKnown(String pipeline) {
    if (documents.find(DocumentStore.Kind.PIPELINE, pipeline).isEmpty()
        && mapper.latestOf(pipeline).isEmpty()) {
      throw unknown(pipeline);
    }
  }

  private ApiException unknown(String pipeline) {
    return ApiException.notFound(
        "pipeline", pipeline, documents.names(DocumentStore.Kind.PIPELINE));
  }

  public Optional<RunView.RunSummary> latestOf(String pipeline) {
    return mapper.latestOf(pipeline).map(this::summary);
  }

  /** The last run whose counts are whole, for drawing a document that has not run itself. */
  public Optional<RunView.RunDetail> latestSuccessOf(String pipeline) {
    return mapper.latestSuccessOf(pipeline).map(this::detail);
  }

  public RunView.RunDetail find(long id) {
    return detail(row(id));
  }

  private RunRow row(long id) {
    return mapper.find(id).orElseThrow(() -> ApiException.notFound("run", String.valueOf(id)));
  }

  /** What is counted today and was not when a run ended is zero. */
  private List<Tally> kept(String tallies) {
    return json.readerFor(new TypeReference<List<Tally>>() {})
        .without(DeserializationFeature.FAIL_ON_NULL_FOR_PRIMITIVES)
        .readValue(tallies);
  }

  private List<Tally> tallies(RunRow row) {
    Optional<RunExecution> live =
        queue.atWork(row.id()).filter(e -> row.runState() == RunState.RUNNING);
    List<Tally> now = live.map(RunExecution::tallies).orElse(List.of());
    return now.isEmpty() ? kept(row.tallies()) : now;
  }

  private RunView.RunSummary summary(RunRow row) {
    List<Tally> tallies = tallies(row);
    Optional<Instant> started = Optional.ofNullable(row.startedAt());
    Optional<Instant> finished = Optional.ofNullable(row.finishedAt());
    Optional<RunView.Failure> failure =
        Optional.ofNullable(row.failureCode())
            .map(
                c ->
                    new RunView.Failure(
                        c,
                        Optional.ofNullable(row.failureStep()),
                        row.failureMessage(),
                        Optional.ofNullable(row.failureFile())
                            .map(f -> new RunView.FileOfFeed(row.failureFeed(), f))));
    return new RunView.RunSummary(
        row.id(),
        row.pipeline(),
        row.documentVersion(),
        row.runState(),
        row.cause(),
        row.requestedBy(),
        row.requestedAt(),
        Optional.ofNullable(row.dueAt()),
        started,
        finished,
        started.map(s -> Duration.between(s, finished.orElse(clock.instant())).toMillis()),
        tallies.stream().filter(t -> StepCatalog.begins(t.verb())).mapToLong(Tally::rowsIn).sum(),
        publishedRows(row.runState(), tallies),
        tallies.stream().mapToLong(Tally::setAside).sum(),
        warnings(row).size(),
        failure);
  }

  /** The rows that a run wrote into tables; none when it published nothing. */
  private static long publishedRows(RunState state, List<Tally> tallies) {
    return state.isEnd() && state != RunState.SUCCEEDED
        ? 0
        : tallies.stream()
            .filter(t -> t.verb().equals("write") && t.filesWritten() > 0)
            .mapToLong(Tally::rowsOut)
            .sum();
  }

  private RunView.RunDetail detail(RunRow row) {
    String text =
        documents
            .find(DocumentStore.Kind.PIPELINE, row.pipeline(), row.documentVersion())
            .map(StoredDocument::text)
            .orElse("");
    Map<String, Integer> versions = json.readValue(row.feedVersions(), new TypeReference<>() {});
    RunAccount account =
        RunAccount.of(
            // How the steps hang together is in the text; their columns are not wanted here.
            PipelineCheck.shapeOf(
                PipelineDocument.parse(text),
                new PinnedCatalog(feeds, lake.lake(), versions, PinnedCatalog.Patience.NONE)),
            tallies(row),
            row.runState());
    Optional<RunExecution> live = queue.atWork(row.id());
    Map<String, Long> reasons =
        live.map(RunExecution::setAsideByReason)
            .filter(m -> !m.isEmpty())
            .orElseGet(() -> json.readValue(row.setAside(), new TypeReference<>() {}));
    Map<String, Object> settings = json.readValue(row.settings(), new TypeReference<>() {});
    return new RunView.RunDetail(
        summary(row),
        account.steps(),
        reasons,
        live.map(RunExecution::peakBytes).orElse(row.peakBytes()),
        tallies(row).stream().mapToLong(Tally::bytesSpilled).sum(),
        ((Number) settings.getOrDefault("memoryBytes", properties.runMemoryBytes())).longValue(),
        text,
        json.readValue(row.parameters(), new TypeReference<>() {}),
        versions,
        Optional.ofNullable(row.cancelAskedBy()),
        account.balanced(),
        account.balance(),
        warnings(row));
  }

  private List<String> warnings(RunRow row) {
    Optional<RunExecution> live =
        queue.atWork(row.id()).filter(e -> row.runState() == RunState.RUNNING);
    return live.map(RunExecution::warnings)
        .orElseGet(() -> json.readValue(row.warnings(), new TypeReference<>() {}));
  }

  public List<RunView.LogEntry> log(long id, int after) {
    Optional<RunExecution> live = queue.atWork(id);
    if (live.isPresent()) {
      return live.get().logAfter(after);
    }
    row(id);
    return mapper.logLines(id, after).stream()
        .map(l -> new RunView.LogEntry(l.line(), l.at(), l.message()))
        .toList();
  }

  public long count(RunState state) {
    return mapper.count(state.name().toLowerCase(Locale.ROOT));
  }
}

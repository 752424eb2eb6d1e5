package yardage.service.runs;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.locks.LockSupport;
import java.util.function.Supplier;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import tools.jackson.core.type.TypeReference;
import yardage.core.document.Problem;
import yardage.core.exec.CancelToken;
import yardage.core.exec.CancelledException;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.Tally;
import yardage.core.feed.ChangedFileException;
import yardage.core.feed.DamagedFiles;
import yardage.core.feed.FileAtFault;
import yardage.core.feed.IntakeFile;
import yardage.core.feed.KnownFiles;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeException;
import yardage.core.lake.PointerChange;
import yardage.core.lake.PointerStore;
import yardage.core.lake.Publication;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.compile.PipelineCheck;
import yardage.core.pipeline.insight.JoinFindings;
import yardage.core.pipeline.insight.JoinInsight;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.pipeline.run.PipelineRun;
import yardage.core.pipeline.run.RunFailedException;
import yardage.service.Transient;
import yardage.service.documents.DocumentStore;

/** One claimed run, from the documents it was asked with to the record of its end. */
final class RunExecution {
  private static final Logger LOG = LoggerFactory.getLogger(RunExecution.class);

  /** A run that took longer is not kept back to look into its joins: a person can ask for that. */
  private static final Duration LOOK_AFTER_AT_MOST = Duration.ofMinutes(2);

  /** How long a run waits for a database that went away, rather than throw its work away. */
  private static final Duration DATABASE_PATIENCE = Duration.ofMinutes(10);

  private static final String DATABASE_AWAY =
      "The database could not be reached for %d minutes; nothing was published. Start it, then run again"
          .formatted(DATABASE_PATIENCE.toMinutes());

  /** A run whose tables are written by others meanwhile is done again, so often at most. */
  private static final String[] ORDINALS = {"second", "third", "fourth", "fifth", "sixth"};

  /** A run that finds more damaged files than this has something else wrong with it. */
  private static final int MOST_QUARANTINED = 50;

  private static final int MOST_MESSAGE_CHARS = 4000;
  private static final long RETRY_NANOS = 500_000_000L;
  private static final long MOST_RETRY_NANOS = 5_000_000_000L;

  private final RunExecutions shared;
  private final RunRow row;
  private final String owner;
  private final CancelToken cancel = new CancelToken();
  private final MemoryPool memory;
  private final Lake lake;
  private final List<RunView.LogEntry> log = new ArrayList<>();
  private volatile PipelineRun run;
  private volatile boolean stopping;
  private volatile List<JoinInsight> joins = List.of();
  private boolean looked;
  private int quarantined;
  private Optional<FileAtFault.Fault> atFault = Optional.empty();
  private int loggedLines;
  private boolean triedToEnd;

  RunExecution(RunExecutions shared, RunRow row, String owner) {
    this.shared = shared;
    this.row = row;
    this.owner = owner;
    this.memory = shared.memory.forRun(row.id());
    this.lake = shared.lake.lakeWith(new PatientPointers());
  }

  void cancel(String why) {
    cancel.cancel(why);
  }

  /** Stops because the service does; the run counts as interrupted, not as cancelled. */
  void interrupt(String why) {
    stopping = true;
    cancel.cancel(why);
  }

  List<Tally> tallies() {
    PipelineRun r = run;
    return r == null ? List.of() : r.tallies();
  }

  Map<String, Long> setAsideByReason() {
    PipelineRun r = run;
    return r == null ? Map.of() : r.setAsideByReason();
  }

  List<String> warnings() {
    PipelineRun r = run;
    return r == null ? List.of() : r.warnings();
  }

  long peakBytes() {
    return memory.peakBytes();
  }

  void renew(Instant lease) {
    attempt("keep log lines", this::flushLog);
    if (shared.mapper.renew(row.id(), owner, lease, shared.write(tallies()), memory.peakBytes())
        == 0) {
      cancel.cancel("another service took the run over");
    }
  }

  void run() {
    log("run %d of %s, version %d".formatted(row.id(), row.pipeline(), row.documentVersion()));
    try {
      for (int attempt = 1; ; attempt++) {
        try {
          execute();
          break;
        } catch (RunFailedException e) {
          if (fileAtFault(e).filter(this::putIntoQuarantine).isPresent()) {
            attempt--;
          } else if (e.getCause() instanceof Publication.MovedException
              && attempt <= ORDINALS.length) {
            log("%s: done again, for the %s time".formatted(e.getMessage(), ORDINALS[attempt - 1]));
          } else {
            throw e;
          }
          looked = false;
        }
      }
      log("published");
      attempt("keep the last log lines", this::flushLog);
    } catch (CancelledException e) {
      end(
          stopping ? RunState.INTERRUPTED : RunState.CANCELLED,
          stopping ? "interrupted" : "cancelled",
          "",
          stopping
              ? "The service stopped during this run; nothing was published. Run it again"
              : "Cancelled; nothing was published");
    } catch (RunFailedException e) {
      if (!e.code().equals("feed")
          && !e.code().equals("file-format")
          && !e.code().equals("value")) {
        LOG.warn("Run {} failed: {}", row.id(), e.getMessage(), e.getCause());
      }
      failed(e, e.code(), e.step(), e.getMessage());
    } catch (RuntimeException | Error e) {
      LOG.error("Run {} failed", row.id(), e);
      failed(e, "unexpected", "", "The service failed in a way that it did not expect: " + e);
    }
  }

  /** A failure and what caused it, those of a kind. */
  private static <T> Stream<T> causes(Throwable e, Class<T> kind) {
    return Stream.iterate(e, t -> t != null, Throwable::getCause)
        .filter(kind::isInstance)
        .map(kind::cast);
  }

  private static Optional<FileAtFault> fileAtFault(Throwable e) {
    return causes(e, FileAtFault.class).findFirst();
  }

  /** Where the feed wants it, takes the file at fault out of the way, so that the run goes on. */
  private boolean putIntoQuarantine(FileAtFault stopped) {
    FileAtFault.Fault d = stopped.fault();
    boolean wanted =
        // One of another kind is for a person to look at: the feed may have to follow it.
        !(stopped instanceof ChangedFileException)
            && quarantined < MOST_QUARANTINED
            && patiently(() -> shared.feeds.feed(d.feed()))
                .filter(f -> f.damaged() == DamagedFiles.QUARANTINE)
                .isPresent();
    if (wanted) {
      quarantined++;
      patiently(() -> shared.feeds.putIntoQuarantine(d, "run " + row.id()));
      log(
          "feed %s: [%s] goes into quarantine, and the run is done again without it: %s"
              .formatted(d.feed(), d.file().path(), d.why()));
    }
    return wanted;
  }

  /** Ends the run as failed: by the database when that was away, else for the reason given. */
  private void failed(Throwable e, String code, String step, String message) {
    atFault = fileAtFault(e).map(FileAtFault::fault);
    causes(e, LakeException.class)
        .forEach(damage -> attempt("have the table looked into", () -> shared.lake.doubt(damage)));
    boolean away = Transient.is(e);
    end(RunState.FAILED, away ? "database-away" : code, step, away ? DATABASE_AWAY : message);
  }

  private void execute() {
    PipelineDocument document = patiently(this::document);
    Map<String, String> parameters = shared.read(row.parameters(), new TypeReference<>() {});
    Map<String, Integer> versions =
        new HashMap<>(
            shared.read(row.feedVersions(), new TypeReference<Map<String, Integer>>() {}));
    patiently(() -> takeNewColumns(document, versions));
    // All tables as of one moment: what another run publishes together is seen together.
    Catalog catalog =
        new PinnedCatalog(shared.feeds, patiently(shared.lake::asOfNow), versions, this::patiently);
    PipelineCheck check = patiently(() -> PipelineCheck.of(document, catalog, parameters));
    if (check.hasErrors()) {
      var first =
          check.problems().stream()
              .filter(p -> p.severity() == Problem.Severity.ERROR)
              .findFirst()
              .orElseThrow();
      throw new RunFailedException(
          "document-has-errors",
          first.step(),
          "The document has errors now, first at line %d: %s"
              .formatted(first.place().line(), first.message()),
          null);
    }
    KnownFiles known = shared.ledger.known(row.pipeline(), this::patiently);
    ExecutionContext context =
        new ExecutionContext(
            memory,
            shared.memory.scratchForRun(row.id()),
            cancel,
            Runtime.getRuntime().availableProcessors());
    PipelineRun.Setting setting =
        new PipelineRun.Setting(
            "r" + row.id(),
            shared.clock.instant(),
            lake,
            catalog,
            known,
            Optional.of(RunService.setAsideFile(shared.properties, row.id())),
            context,
            this::log);
    run = new PipelineRun(check, setting);
    try {
      run.execute(
          (pointers, intake) -> {
            lookIntoJoins(check, setting);
            publish(pointers, intake);
          });
    } catch (RunFailedException e) {
      if (!(e.getCause() instanceof Publication.MovedException)) {
        lookIntoJoins(check, setting);
      }
      throw e;
    }
  }

  private PipelineDocument document() {
    return PipelineDocument.parse(
        shared
            .documents
            .find(DocumentStore.Kind.PIPELINE, row.pipeline(), row.documentVersion())
            .orElseThrow()
            .text());
  }

  /**
   * Says why joins found little, over the rows that this run had: nothing is published yet, so
   * tables and ledger are as it found them. A look that fails leaves the run as it is.
   */
  private void lookIntoJoins(PipelineCheck check, PipelineRun.Setting setting) {
    // A publication that lost a race starts over, and may fail after that.
    boolean again = looked;
    looked = true;
    Duration took = Duration.between(setting.startedAt(), shared.clock.instant());
    if (again || took.compareTo(LOOK_AFTER_AT_MOST) > 0) {
      return;
    }
    List<JoinInsight> found = new ArrayList<>();
    for (String step : JoinFindings.worthALook(check, tallies())) {
      try {
        JoinInsight insight = JoinInsight.of(check, new PipelineRun(check, setting.toLook()), step);
        log(JoinFindings.words(insight));
        found.add(insight);
      } catch (RunFailedException e) {
        log("%s: could not be looked into: %s".formatted(step, e.getMessage()));
      }
    }
    joins = found;
  }

  /** Feeds that take new columns at once get them before anything is planned. */
  private void takeNewColumns(PipelineDocument document, Map<String, Integer> versions) {
    for (String feed : PipelineCheck.feedsOf(document)) {
      Optional.ofNullable(versions.get(feed))
          .flatMap(v -> shared.feeds.followed(feed, v, "run " + row.id()))
          .ifPresent(
              saved -> {
                versions.put(feed, saved.version());
                shared.mapper.feedVersions(row.id(), shared.write(versions));
                log(
                    "feed %s: its files have changed, and version %d follows them (%s)"
                        .formatted(feed, saved.version(), saved.told()));
              });
    }
  }

  /**
   * One transaction: pointers, intake, and the run's end. A database that is away is waited for.
   */
  private void publish(List<PointerChange> pointers, List<IntakeFile> intake) {
    patiently(
        () -> {
          if (shared.mapper.find(row.id()).orElseThrow().runState() == RunState.SUCCEEDED) {
            // The commit had arrived and only its answer was lost.
            return;
          }
          shared.transactions.executeWithoutResult(
              status -> {
                shared.lake.swap(pointers);
                shared.ledger.takeIn(row.pipeline(), row.id(), intake);
                keepFindings();
                int ended =
                    shared.mapper.finish(
                        row.id(),
                        owner,
                        "succeeded",
                        shared.clock.instant(),
                        shared.write(tallies()),
                        shared.write(setAsideByReason()),
                        memory.peakBytes(),
                        shared.write(warnings()),
                        RunMapper.Failed.NOT);
                if (ended != 1) {
                  throw new RunFailedException(
                      "lease-lost",
                      "",
                      "Another service took this run over; nothing was published",
                      null);
                }
              });
        });
  }

  private void end(RunState state, String code, String step, String told) {
    // What a file holds may stand in a message, and files may be made to fill it.
    String message =
        told.length() <= MOST_MESSAGE_CHARS
            ? told
            : told.substring(0, MOST_MESSAGE_CHARS) + "… (cut here)";
    log(message);
    // Every run ends: however long the database is away, its end is written when it is back. If the
    // service stops before, its next start finds the run and ends it.
    for (long wait = RETRY_NANOS; !stopped(); wait = Math.min(MOST_RETRY_NANOS, wait * 2)) {
      try {
        attempt("keep log lines", this::flushLog);
        attempt("keep what checks and joins said", this::keepFindings);
        shared.mapper.finish(
            row.id(),
            owner,
            state.name().toLowerCase(java.util.Locale.ROOT),
            shared.clock.instant(),
            shared.write(tallies()),
            shared.write(setAsideByReason()),
            memory.peakBytes(),
            shared.write(warnings()),
            new RunMapper.Failed(
                code,
                step.isEmpty() ? null : step,
                message,
                atFault.map(FileAtFault.Fault::feed).orElse(null),
                atFault.map(d -> d.file().path()).orElse(null)));
        return;
      } catch (RuntimeException e) {
        LOG.warn("The end of run {} cannot be written yet: {}", row.id(), e.getMessage());
        LockSupport.parkNanos(wait);
      }
    }
  }

  /** Whether the service stops and has tried once to write how the run ended. */
  private boolean stopped() {
    boolean again = triedToEnd;
    triedToEnd = true;
    return stopping && again;
  }

  private void attempt(String what, Runnable work) {
    try {
      work.run();
    } catch (RuntimeException e) {
      LOG.warn("Run {}: cannot {}: {}", row.id(), what, e.getMessage());
    }
  }

  private void keepFindings() {
    PipelineRun r = run;
    if (r != null) {
      r.checkResults().forEach(c -> shared.checks.keep(row.id(), c));
    }
    joins.forEach(j -> shared.joins.keep(row.id(), j.step(), shared.write(j)));
  }

  private void patiently(Runnable action) {
    patiently(
        () -> {
          action.run();
          return true;
        });
  }

  /**
   * A database that is away is waited for, since the work done so far is worth more than the
   * minutes. What is done must be safe to do again: its answer may be lost though it happened.
   */
  private <T> T patiently(Supplier<T> action) {
    Instant limit = Instant.now().plus(DATABASE_PATIENCE);
    while (true) {
      try {
        return action.get();
      } catch (RuntimeException e) {
        if (!Transient.is(e) || Instant.now().isAfter(limit) || stopping) {
          throw e;
        }
        LOG.warn("Run {} waits for the database: {}", row.id(), e.getMessage());
        LockSupport.parkNanos(RETRY_NANOS);
      }
    }
  }

  private void log(String message) {
    synchronized (log) {
      log.add(new RunView.LogEntry(log.size() + 1, shared.clock.instant(), message));
    }
  }

  List<RunView.LogEntry> logAfter(int line) {
    synchronized (log) {
      return List.copyOf(log.subList(Math.min(line, log.size()), log.size()));
    }
  }

  private synchronized void flushLog() {
    for (RunView.LogEntry entry : logAfter(loggedLines)) {
      shared.mapper.log(row.id(), entry.line(), entry.at(), entry.message());
      loggedLines = entry.line();
    }
  }

  /** The lake's pointers, waited for. */
  private final class PatientPointers implements PointerStore {
    @Override
    public Optional<String> metadataLocation(TableName table) {
      return patiently(() -> shared.lake.metadataLocation(table));
    }

    @Override
    public List<TableName> tables() {
      return patiently(shared.lake::tables);
    }
  }
}

package yardage.service.runs;

import jakarta.annotation.PreDestroy;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.context.event.ApplicationReadyEvent;
import org.springframework.context.event.EventListener;
import org.springframework.scheduling.annotation.Scheduled;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import yardage.service.YardageProperties;
import yardage.service.lake.HomePlace;
import yardage.service.lake.LakeService;

/**
 * Claims queued runs and works on them. A claimed run has a lease, renewed every two seconds; a
 * service that dies lets it run out, and a service that starts again on the same home knows at once
 * that its former self is gone, since only one may hold the home's lock.
 */
@Component
public class RunQueue {
  private static final Logger LOG = LoggerFactory.getLogger(RunQueue.class);

  /** Work on a table that has made no file for so long is taken for dead. */
  /** What the staging of trials is called, and something behind it. */
  public static final String TRIAL = "trial-";

  private static final Duration CARE = Duration.ofHours(6);

  static final Duration LEASE = Duration.ofSeconds(20);

  private final RunMapper mapper;
  private final LakeService lake;
  private final RunExecutions executions;
  private final TransactionTemplate transactions;
  private final YardageProperties properties;
  private final Clock clock;
  private final String home;
  private final String owner;
  private final ExecutorService workers;
  private final Map<Long, RunExecution> atWork = new ConcurrentHashMap<>();
  private volatile boolean open;

  /** One at a time claims runs or looks at those that are claimed. */
  private final Object claims = new Object();

  private final Set<Long> begun = ConcurrentHashMap.newKeySet();

  RunQueue(
      RunMapper mapper,
      LakeService lake,
      RunExecutions executions,
      HomePlace place,
      TransactionTemplate transactions,
      YardageProperties properties,
      Clock clock) {
    this.mapper = mapper;
    this.lake = lake;
    this.executions = executions;
    this.transactions = transactions;
    this.properties = properties;
    this.clock = clock;
    this.home = place.identity();
    this.owner =
        home + "/" + ProcessHandle.current().pid() + "-" + Long.toHexString(System.nanoTime());
    this.workers =
        Executors.newFixedThreadPool(
            properties.concurrentRuns(), r -> new Thread(r, "yardage-run"));
  }

  /** Ends what a former service left, and opens the queue. The home is this service's by now. */
  @EventListener(ApplicationReadyEvent.class)
  public void open() {
    // Nothing works here yet, so every log of work on a table is of a process that is gone.
    settle(clock.instant());
    endAbandoned();
    open = true;
  }

  private void endAbandoned() {
    endForgotten();
    for (long id : mapper.abandoned(owner, home, clock.instant())) {
      if (mapper.interrupt(id, clock.instant()) == 1) {
        LOG.warn("Run {} was interrupted: the service that worked on it is gone", id);
      }
    }
    settle(clock.instant().minus(CARE));
  }

  /**
   * Ends what dead work has staged.
   *
   * @param careBefore work on a table that has made no file since is taken for dead
   */
  private void settle(Instant careBefore) {
    for (String run : lake.lake().unsettledRuns()) {
      if (run.startsWith(TRIAL)) {
        // Nothing of it is ever published. One that goes on adds to its log now and then.
        lake.lake().settleIfOlder(run, careBefore);
        continue;
      }
      if (!run.matches("r[0-9]+")) {
        // Work on one table, such as a compaction: whether it was published only the pointer tells.
        // Without its log, its files go with the next expiry unless the table has them.
        if (lake.lake().forgetIfOlder(run, careBefore)) {
          LOG.info("{} was given up; what it left goes when the table's snapshots expire", run);
        }
        continue;
      }
      long id = Long.parseLong(run.substring(1));
      if (atWork.containsKey(id)) {
        continue;
      }
      Optional<RunState> state = mapper.find(id).map(RunRow::runState);
      if (state.isEmpty() || state.get().isEnd()) {
        int removed =
            lake.lake().settle(run, state.isPresent() && state.get() == RunState.SUCCEEDED);
        LOG.info("Run {}: cleaned up {} staged files", id, removed);
      }
    }
  }

  /**
   * Runs that are this service's by the record and that nobody here works on: the answer to a claim
   * was lost, and then nothing was begun, or a thread died.
   */
  private void endForgotten() {
    synchronized (claims) {
      for (long id : mapper.claimedBy(owner)) {
        if (atWork.containsKey(id)) {
          continue;
        }
        if (begun.contains(id)) {
          if (mapper.interrupt(id, clock.instant()) == 1) {
            LOG.warn("Run {} was interrupted: nothing works on it any more", id);
          }
        } else if (mapper.putBack(id, owner) == 1) {
          LOG.warn("Run {} is queued again: its claim was not heard of", id);
        }
      }
    }
  }

  @Scheduled(fixedDelay = 200, timeUnit = TimeUnit.MILLISECONDS)
  void claim() {
    synchronized (claims) {
      claimAll();
    }
  }

  private void claimAll() {
    try {
      while (open && atWork.size() < properties.concurrentRuns()) {
        Optional<Long> claimed =
            transactions.execute(
                status -> {
                  Optional<Long> next = mapper.lockNext();
                  return next.filter(
                      id ->
                          mapper.claim(
                                  id,
                                  owner,
                                  clock.instant(),
                                  clock.instant().plus(LEASE),
                                  executions.settings())
                              == 1);
                });
        if (claimed == null || claimed.isEmpty()) {
          return;
        }
        start(claimed.get());
      }
    } catch (RuntimeException e) {
      LOG.warn("Cannot look for queued runs: {}", e.getMessage());
    }
  }

  private void start(long id) {
    // If this fails, nothing was begun, and the run is put back.
    RunExecution execution = executions.create(mapper.find(id).orElseThrow(), owner);
    begun.add(id);
    atWork.put(id, execution);
    workers.execute(
        () -> {
          try {
            execution.run();
          } catch (Throwable t) {
            LOG.error("The work on run {} ended without a word", id, t);
          } finally {
            atWork.remove(id);
          }
        });
  }

  @Scheduled(fixedDelay = 2, timeUnit = TimeUnit.SECONDS)
  void renewLeases() {
    Instant lease = clock.instant().plus(LEASE);
    atWork.forEach(
        (id, execution) -> attempt("renew the lease of run " + id, () -> execution.renew(lease)));
    if (open) {
      attempt("look for abandoned runs", this::endAbandoned);
    }
  }

  @Scheduled(fixedDelay = 300, timeUnit = TimeUnit.MILLISECONDS)
  void cancelAsked() {
    if (!atWork.isEmpty()) {
      attempt(
          "look for runs to cancel", () -> mapper.askedToCancel(owner).forEach(this::cancelHere));
    }
  }

  void cancelHere(long id) {
    Optional.ofNullable(atWork.get(id)).ifPresent(e -> e.cancel("cancelled on request"));
  }

  Optional<RunExecution> atWork(long id) {
    return Optional.ofNullable(atWork.get(id));
  }

  private static void attempt(String what, Runnable action) {
    try {
      action.run();
    } catch (RuntimeException e) {
      LOG.warn("Cannot {}: {}", what, e.getMessage());
    }
  }

  @PreDestroy
  void close() throws InterruptedException {
    open = false;
    atWork.values().forEach(e -> e.interrupt("the service is stopping"));
    workers.shutdown();
    workers.awaitTermination(10, TimeUnit.SECONDS);
  }
}

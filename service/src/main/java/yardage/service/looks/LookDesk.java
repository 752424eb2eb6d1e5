package yardage.service.looks;

import jakarta.servlet.http.HttpServletRequest;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Function;
import java.util.function.Supplier;
import org.springframework.context.SmartLifecycle;
import org.springframework.http.HttpStatus;
import org.springframework.scheduling.annotation.Scheduled;
import org.springframework.stereotype.Service;
import org.springframework.web.context.request.RequestContextHolder;
import org.springframework.web.context.request.ServletRequestAttributes;
import yardage.core.exec.CancelToken;
import yardage.core.exec.ExecutionContext;
import yardage.core.exec.Progress;
import yardage.service.YardageProperties;
import yardage.service.memory.EngineMemory;
import yardage.service.web.ApiException;
import yardage.service.web.Askers;

/** Every piece of the engine's work that a request waits for passes here. */
@Service
public class LookDesk implements SmartLifecycle {
  private static final int AT_ONCE = 8;

  /**
   * Of those that wait for their turn, so many go at a time; the others are left to whoever asks by
   * hand.
   */
  private static final int TURNS = 2;

  private static final int LONGEST_REQUEST_ID = 100;
  private static final long TURN_CHECK_MILLIS = 250;
  private static final Duration FOREVER = Duration.ofDays(3650);

  /** Longer than anybody waits. */
  private static final Duration LONG = Duration.ofDays(7);

  private final EngineMemory memory;
  private final YardageProperties properties;
  private final Askers askers;
  private final Clock clock;
  private final Map<Long, Open> open = new ConcurrentHashMap<>();
  private final AtomicLong last = new AtomicLong();
  private final Semaphore turns = new Semaphore(TURNS, true);
  private volatile boolean running;

  LookDesk(EngineMemory memory, YardageProperties properties, Askers askers, Clock clock) {
    this.memory = memory;
    this.properties = properties;
    this.askers = askers;
    this.clock = clock;
  }

  /** The header by which whoever asks finds the work again among all that goes on. */
  static final String REQUEST_ID = "X-Request-Id";

  /**
   * What goes on now.
   *
   * @param requestId what the asker's header X-Request-Id says; empty without one
   * @param rowsRead so far, from tables and files
   * @param partsRead of tables and files, so far
   * @param parts that are to be read, as far as is known
   */
  public record Look(
      long id,
      String kind,
      String what,
      String askedBy,
      Instant startedAt,
      String requestId,
      long rowsRead,
      long partsRead,
      long parts) {
    private Look at(Progress.Read read) {
      return new Look(
          id,
          kind,
          what,
          askedBy,
          startedAt,
          requestId,
          read.rows(),
          read.partsRead(),
          read.parts());
    }
  }

  private record Open(
      Look look, ExecutionContext context, Optional<HttpServletRequest> request, long endNanos) {
    CancelToken cancel() {
      return context.cancel();
    }
  }

  /**
   * Does work for whoever waits for the current request.
   *
   * @param kind query, export, …
   * @param what the SQL, or what is looked at
   * @param work is given what to execute with; its memory is the looks' own
   * @throws ApiException when too much is going on, or the work was ended
   */
  public <T> T look(String kind, String what, Function<ExecutionContext, T> work) {
    return look(kind, what, Runtime.getRuntime().availableProcessors(), work);
  }

  /** As {@link #look(String, String, Function)}, with so many workers. */
  public <T> T look(String kind, String what, int workers, Function<ExecutionContext, T> work) {
    return open(kind, what, workers, properties.queryTime(), work);
  }

  /** As {@link #look(String, String, Function)}, for as long as somebody waits for it. */
  public <T> T stay(String kind, String what, Function<ExecutionContext, T> work) {
    return open(kind, what, Runtime.getRuntime().availableProcessors(), LONG, work);
  }

  /**
   * Does work on tables that has no time limit, and that goes on when the asker leaves: it can be
   * ended, and ends with the service.
   */
  public <T> T care(String kind, String what, Function<ExecutionContext, T> work) {
    return open(kind, what, Runtime.getRuntime().availableProcessors(), FOREVER, work);
  }

  /**
   * Does work when its turn comes: a page that asks many questions at once is answered a few at a
   * time, in the order in which they came, and not refused.
   *
   * @throws ApiException when the turn does not come in time, or nobody waits for it any more
   */
  public <T> T inTurn(Supplier<T> work) {
    Optional<HttpServletRequest> request = request();
    long end = System.nanoTime() + properties.queryTime().toNanos();
    try {
      while (!turns.tryAcquire(TURN_CHECK_MILLIS, TimeUnit.MILLISECONDS)) {
        boolean gone = request.isPresent() && askers.isGone(request.get());
        if (gone || !running || System.nanoTime() - end > 0) {
          throw new ApiException(
              HttpStatus.SERVICE_UNAVAILABLE,
              "turn-did-not-come",
              gone ? "Nobody waits for it any more" : "Other questions took all the time",
              "Ask again");
        }
      }
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
      throw new IllegalStateException(e);
    }
    try {
      return work.get();
    } finally {
      turns.release();
    }
  }

  private static Optional<HttpServletRequest> request() {
    return RequestContextHolder.getRequestAttributes() instanceof ServletRequestAttributes a
        ? Optional.of(a.getRequest())
        : Optional.empty();
  }

  private <T> T open(
      String kind, String what, int workers, Duration limit, Function<ExecutionContext, T> work) {
    Optional<HttpServletRequest> request = request();
    String by =
        request
            .map(HttpServletRequest::getUserPrincipal)
            .map(java.security.Principal::getName)
            .orElse("the service");
    String requestId =
        request
            .map(r -> r.getHeader(REQUEST_ID))
            .filter(name -> name.length() <= LONGEST_REQUEST_ID)
            .orElse("");
    CancelToken cancel = new CancelToken();
    Open mine =
        new Open(
            new Look(last.incrementAndGet(), kind, what, by, clock.instant(), requestId, 0, 0, 0),
            new ExecutionContext(memory.forQuery(), memory.scratchForQuery(), cancel, workers),
            limit.equals(FOREVER) ? Optional.empty() : request,
            System.nanoTime() + limit.toNanos());
    synchronized (open) {
      if (open.size() >= AT_ONCE) {
        throw new ApiException(
            HttpStatus.SERVICE_UNAVAILABLE,
            "too-many-at-once",
            "%d queries are running already".formatted(AT_ONCE),
            "Wait for one to end, or end one: yardage queries");
      }
      open.put(mine.look().id(), mine);
    }
    if (!running && request.isPresent()) {
      cancel.cancel("the service is stopping");
    }
    try {
      cancel.check();
      return work.apply(mine.context());
    } catch (RuntimeException e) {
      if (!cancel.isCancelled()) {
        throw e;
      }
      throw new ApiException(
          HttpStatus.UNPROCESSABLE_ENTITY,
          "ended",
          "The %s was ended: %s".formatted(kind, cancel.reason()),
          "Ask for less, or ask again; an administrator sets the time limit as yardage.query-time");
    } finally {
      // The sweep may be looking at the connection; after this nobody does.
      synchronized (mine) {
        open.remove(mine.look().id());
      }
    }
  }

  /** What goes on now, the oldest first. */
  public List<Look> looks() {
    return open.values().stream()
        .map(o -> o.look().at(o.context().progress().read()))
        .sorted(Comparator.comparingLong(Look::id))
        .toList();
  }

  /** Ends one of them. */
  public void end(long id, String by) {
    Open one = open.get(id);
    if (one == null) {
      throw ApiException.notFound("running query", String.valueOf(id));
    }
    one.cancel().cancel("%s ended it".formatted(by));
  }

  @Scheduled(fixedDelay = 250)
  void sweep() {
    long now = System.nanoTime();
    Duration limit = properties.queryTime();
    for (Open one : open.values()) {
      if (now - one.endNanos() > 0) {
        one.cancel()
            .cancel(
                "it took longer than %s"
                    .formatted(
                        limit.toSeconds() % 60 == 0
                            ? limit.toMinutes() + " minutes"
                            : limit.toSeconds() + " seconds"));
      } else if (one.request().isPresent()) {
        synchronized (one) {
          if (open.containsKey(one.look().id()) && askers.isGone(one.request().get())) {
            one.cancel().cancel("nobody waits for it any more");
          }
        }
      }
    }
  }

  @Override
  public void start() {
    running = true;
  }

  /** Before the server waits for its requests, so that none of them is waited for long. */
  @Override
  public void stop() {
    running = false;
    open.values().forEach(o -> o.cancel().cancel("the service is stopping"));
  }

  @Override
  public boolean isRunning() {
    return running;
  }

  @Override
  public int getPhase() {
    return Integer.MAX_VALUE;
  }
}

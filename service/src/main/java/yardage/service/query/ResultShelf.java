package yardage.service.query;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import org.springframework.beans.factory.DisposableBean;
import org.springframework.beans.factory.annotation.Autowired;
import org.springframework.http.HttpStatus;
import org.springframework.scheduling.annotation.Scheduled;
import org.springframework.stereotype.Component;
import yardage.core.exec.KeptRows;
import yardage.core.exec.MemoryPool;
import yardage.core.exec.StepTally;
import yardage.service.memory.EngineMemory;
import yardage.service.web.ApiException;

/**
 * Results that people page through. Each belongs to who asked for it, and goes when it was not
 * looked at for a while, or when the same person has too many.
 */
@Component
class ResultShelf implements DisposableBean {
  static final int MOST_OF_ONE = 6;
  static final Duration IDLE = Duration.ofMinutes(20);

  private final Clock clock;
  private final MemoryPool.Reservation reserved;
  private final Map<String, Kept> byId = new LinkedHashMap<>();

  @Autowired
  ResultShelf(EngineMemory memory, Clock clock) {
    this(memory.forQuery(), clock);
  }

  /**
   * @param memory for what was found in results; their rows are on disk
   */
  ResultShelf(MemoryPool memory, Clock clock) {
    this.reserved =
        memory.reservation(new StepTally("result", "sql"), "rows that were found in results");
    this.clock = clock;
  }

  /**
   * A result.
   *
   * @param words what its rows were narrowed by last, and the numbers of those that hold it
   */
  static final class Kept {
    private final String owner;
    private final KeptRows rows;
    private volatile Instant seen;
    private volatile Optional<Found> found = Optional.empty();

    private Kept(String owner, KeptRows rows, Instant seen) {
      this.owner = owner;
      this.rows = rows;
      this.seen = seen;
    }

    KeptRows rows() {
      return rows;
    }

    Optional<Found> found(String words) {
      return found.filter(f -> f.words().equals(words));
    }

    private long foundBytes() {
      return found.map(f -> (long) Long.BYTES * f.rows().length).orElse(0L);
    }
  }

  /** The numbers of the rows that hold some words. */
  record Found(String words, long[] rows) {}

  /** Notes what was found in a result, where it is still kept and memory allows. */
  synchronized void found(Kept kept, Found now) {
    kept.found = Optional.empty();
    if (byId.containsValue(kept)) {
      kept.found = Optional.of(now);
      if (!reserved.tryResize(foundBytes())) {
        kept.found = Optional.empty();
      }
    }
    reserved.tryResize(foundBytes());
  }

  private long foundBytes() {
    return byId.values().stream().mapToLong(Kept::foundBytes).sum();
  }

  synchronized String keep(String owner, KeptRows rows) {
    List<String> own = new ArrayList<>();
    byId.forEach(
        (id, kept) -> {
          if (kept.owner.equals(owner)) {
            own.add(id);
          }
        });
    for (int i = 0; i <= own.size() - MOST_OF_ONE; i++) {
      drop(own.get(i));
    }
    String id = UUID.randomUUID().toString();
    byId.put(id, new Kept(owner, rows, clock.instant()));
    return id;
  }

  /**
   * @throws ApiException when it is not there any more, or is somebody else's
   */
  synchronized Kept of(String owner, String id) {
    Kept kept = byId.get(id);
    if (kept == null || !kept.owner.equals(owner)) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "result-gone",
          "This result is not kept any more",
          "Ask the query again; a result is kept for %d minutes after it was looked at last"
              .formatted(IDLE.toMinutes()));
    }
    kept.seen = clock.instant();
    return kept;
  }

  synchronized void remove(String owner, String id) {
    of(owner, id);
    drop(id);
  }

  private void drop(String id) {
    byId.remove(id).rows.close();
    reserved.tryResize(foundBytes());
  }

  @Scheduled(fixedDelay = 10_000)
  synchronized void sweep() {
    Instant before = clock.instant().minus(IDLE);
    byId.entrySet().stream()
        .filter(e -> e.getValue().seen.isBefore(before))
        .map(Map.Entry::getKey)
        .toList()
        .forEach(this::drop);
  }

  @Override
  public synchronized void destroy() {
    List.copyOf(byId.keySet()).forEach(this::drop);
  }
}

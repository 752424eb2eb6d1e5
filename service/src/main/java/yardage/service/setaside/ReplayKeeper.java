package yardage.service.setaside;

import java.time.Clock;
import java.time.Instant;
import java.util.Collection;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.scheduling.annotation.Scheduled;
import org.springframework.stereotype.Component;
import org.springframework.transaction.support.TransactionTemplate;
import yardage.core.feed.Replays;
import yardage.core.storage.Place;
import yardage.service.YardageProperties;
import yardage.service.lake.LakeService;

/**
 * Keeps the files of replayed rows as the records say. The records decide: a file is held back
 * until the transaction that names it is committed, and one that no record names is removed. A
 * service that dies in between, or loses the answer to its commit, leaves a file that is held; it
 * is settled later.
 */
@Component
class ReplayKeeper {
  private static final Logger LOG = LoggerFactory.getLogger(ReplayKeeper.class);

  private final SetAsideMapper mapper;
  private final LakeService lake;
  private final YardageProperties properties;
  private final TransactionTemplate transactions;
  private final Clock clock;

  /** What a request of this service has in hand. */
  private final Set<String> atWork = ConcurrentHashMap.newKeySet();

  ReplayKeeper(
      SetAsideMapper mapper,
      LakeService lake,
      YardageProperties properties,
      TransactionTemplate transactions,
      Clock clock) {
    this.mapper = mapper;
    this.lake = lake;
    this.properties = properties;
    this.transactions = transactions;
    this.clock = clock;
  }

  /**
   * Changes the records of some replays in one transaction, and their files with them.
   *
   * @param replays the paths of their first files
   * @param files brings the files into the held state
   */
  void change(Collection<String> replays, Runnable files, Runnable records) {
    atWork.addAll(replays);
    try {
      files.run();
      transactions.executeWithoutResult(status -> records.run());
      replays.forEach(this::settle);
    } catch (RuntimeException e) {
      try {
        replays.forEach(this::settle);
      } catch (RuntimeException away) {
        // It stays held until the database answers.
        e.addSuppressed(away);
      }
      throw e;
    } finally {
      atWork.removeAll(replays);
    }
  }

  private void settle(String replay) {
    Place inbox = lake.lake().inbox();
    if (mapper.rowsOf(replay) > 0) {
      Replays.release(inbox, Replays.group(inbox, replay));
    } else {
      Replays.remove(inbox, Replays.group(inbox, replay));
    }
  }

  /** Settles what was left held; what no record names only when it is too old to be at work. */
  @Scheduled(fixedDelay = 5, initialDelay = 1, timeUnit = TimeUnit.SECONDS)
  void settleLeftOver() {
    Instant old = clock.instant().minus(properties.sweepAge());
    try {
      Replays.held(lake.lake().inbox())
          .forEach(
              (replay, written) -> {
                if (!atWork.contains(replay)
                    && (written.isBefore(old) || mapper.rowsOf(replay) > 0)) {
                  settle(replay);
                  LOG.info("Replayed rows that were left half way are settled: {}", replay);
                }
              });
    } catch (RuntimeException e) {
      LOG.warn("Cannot settle replayed rows: {}", e.getMessage());
    }
  }
}

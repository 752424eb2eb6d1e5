package yardage.service.tables;

import java.time.Clock;
import java.time.Duration;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.dao.DataAccessException;
import org.springframework.scheduling.annotation.Scheduled;
import org.springframework.stereotype.Component;
import yardage.core.lake.Expiry;
import yardage.core.lake.LakeException;
import yardage.core.lake.TableName;
import yardage.service.YardageProperties;
import yardage.service.lake.LakeService;
import yardage.service.lake.TableMapper;

/**
 * Looks after tables by itself, a few at a time: what their past left behind is swept, and their
 * health is known before anybody asks.
 */
@Component
class TableKeeper {
  private static final Logger LOG = LoggerFactory.getLogger(TableKeeper.class);

  /** A table is swept after so many changes, or a day after one. */
  private static final int CHANGES = 50;

  private static final Duration A_DAY = Duration.ofDays(1);
  private static final Duration HEALTH_AGE = Duration.ofHours(1);

  private final TableMapper mapper;
  private final LakeService lake;
  private final YardageProperties properties;
  private final Clock clock;
  private volatile boolean stopping;

  TableKeeper(TableMapper mapper, LakeService lake, YardageProperties properties, Clock clock) {
    this.mapper = mapper;
    this.lake = lake;
    this.properties = properties;
    this.clock = clock;
  }

  @jakarta.annotation.PreDestroy
  void stop() {
    stopping = true;
  }

  @Scheduled(fixedDelay = 60, initialDelay = 30, timeUnit = TimeUnit.SECONDS)
  void sweep() {
    quietly(
        "sweep tables",
        () -> {
          for (TableMapper.Name n : mapper.toSweep(CHANGES, clock.instant().minus(A_DAY))) {
            if (stopping) {
              return;
            }
            TableName table = new TableName(n.namespace(), n.name());
            try {
              Expiry.Result swept =
                  lake.lake().sweep(table, clock.instant().minus(properties.sweepAge()));
              if (swept.files() > 0) {
                LOG.info(
                    "Table {}: removed {} files, {} bytes, that no state needs",
                    table,
                    swept.files(),
                    swept.sizeBytes());
              }
            } catch (LakeException e) {
              LOG.warn("{}", e.getMessage());
            }
            mapper.swept(n.namespace(), n.name(), clock.instant());
          }
        });
  }

  @Scheduled(fixedDelay = 5, initialDelay = 3, timeUnit = TimeUnit.SECONDS)
  void lookInto() {
    quietly(
        "look into tables",
        () -> {
          for (TableMapper.Pointer p : mapper.toLookInto(clock.instant().minus(HEALTH_AGE))) {
            if (stopping) {
              return;
            }
            lake.lookInto(new TableName(p.namespace(), p.name()), p.metadataLocation());
          }
        });
  }

  private static void quietly(String what, Runnable work) {
    try {
      work.run();
    } catch (DataAccessException e) {
      LOG.warn("Cannot {}: {}", what, e.getMessage());
    } catch (RuntimeException e) {
      LOG.error("Cannot {}", what, e);
    }
  }
}

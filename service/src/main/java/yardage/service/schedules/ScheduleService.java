package yardage.service.schedules;

import java.time.Clock;
import java.time.Instant;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.dao.DataAccessException;
import org.springframework.scheduling.annotation.Scheduled;
import org.springframework.stereotype.Service;
import org.springframework.transaction.TransactionException;
import org.springframework.transaction.support.TransactionTemplate;
import yardage.core.pipeline.read.PipelineDocument;
import yardage.core.schedule.Schedule;
import yardage.service.documents.DocumentStore;
import yardage.service.runs.RunService;

/**
 * Fires schedules. A due time becomes a run in the same transaction that moves the schedule on; the
 * run's due time is unique, so it is made once. After a pause, however long, only the last due time
 * that was missed is made up for.
 */
@Service
public class ScheduleService {
  private static final Logger LOG = LoggerFactory.getLogger(ScheduleService.class);

  private final ScheduleMapper mapper;
  private final DocumentStore documents;
  private final RunService runs;
  private final TransactionTemplate transactions;
  private final Clock clock;

  ScheduleService(
      ScheduleMapper mapper,
      DocumentStore documents,
      RunService runs,
      TransactionTemplate transactions,
      Clock clock) {
    this.mapper = mapper;
    this.documents = documents;
    this.runs = runs;
    this.transactions = transactions;
    this.clock = clock;
  }

  public Optional<Instant> nextAt(String pipeline) {
    return mapper.nextAt(pipeline);
  }

  /** A document was saved: its schedule holds from now on. */
  public void scheduleChanged(String pipeline, Optional<Schedule> schedule) {
    Optional<Instant> next = schedule.flatMap(s -> s.next(clock.instant()));
    if (next.isPresent()) {
      mapper.put(pipeline, next.get());
    } else {
      mapper.remove(pipeline);
    }
  }

  /** A pipeline has another name now. */
  public void renamed(String pipeline, String next) {
    mapper.rename(pipeline, next);
  }

  @Scheduled(fixedDelay = 250, timeUnit = TimeUnit.MILLISECONDS)
  void fire() {
    try {
      for (ScheduleMapper.Due due : mapper.due(clock.instant())) {
        transactions.executeWithoutResult(status -> fire(due));
      }
    } catch (DataAccessException | TransactionException e) {
      LOG.warn("Cannot look for due schedules: {}", e.getMessage());
    }
  }

  private void fire(ScheduleMapper.Due due) {
    Optional<Schedule> schedule =
        documents
            .find(DocumentStore.Kind.PIPELINE, due.pipeline())
            .flatMap(d -> PipelineDocument.parse(d.text()).schedule());
    Instant now = clock.instant();
    Instant last = due.nextAt();
    Optional<Instant> next = schedule.flatMap(s -> s.next(due.nextAt()));
    while (next.isPresent() && !next.get().isAfter(now)) {
      last = next.get();
      Instant from = last;
      next = schedule.flatMap(s -> s.next(from));
    }
    int moved =
        next.isPresent()
            ? mapper.advance(due.pipeline(), due.nextAt(), next.get())
            : mapper.finish(due.pipeline(), due.nextAt());
    if (moved == 1 && schedule.isPresent() && runs.requestDue(due.pipeline(), last)) {
      LOG.info("Pipeline {} is due at {}", due.pipeline(), last);
    }
  }
}

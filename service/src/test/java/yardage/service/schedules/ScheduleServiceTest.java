package yardage.service.schedules;

import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.time.Clock;
import java.time.Instant;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.springframework.transaction.support.TransactionTemplate;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;
import yardage.service.runs.RunService;

/** When a schedule fires, on a clock of the test's own. */
class ScheduleServiceTest {
  private static final Instant DUE = Instant.parse("2026-03-01T05:30:00Z");

  private final ScheduleMapper mapper = mock();
  private final DocumentStore documents = mock();
  private final RunService runs = mock();
  private final TransactionTemplate transactions =
      new TransactionTemplate() {
        @Override
        public void executeWithoutResult(
            Consumer<org.springframework.transaction.TransactionStatus> action) {
          action.accept(mock());
        }
      };

  @BeforeEach
  void hourly() {
    keep("schedule: {cron: \"30 * * * *\"}");
  }

  private void keep(String schedule) {
    String text =
        """
        pipeline: cloth
        %s
        steps:
          rolls:
            read: {feed: rolls}
          publish:
            from: rolls
            write: {table: raw.rolls, mode: append}
        """
            .formatted(schedule);
    when(documents.find(DocumentStore.Kind.PIPELINE, "cloth"))
        .thenReturn(Optional.of(new StoredDocument("cloth", 1, text, "ana", DUE)));
  }

  private void fireAt(Instant now) {
    when(mapper.due(now)).thenReturn(List.of(new ScheduleMapper.Due("cloth", DUE)));
    new ScheduleService(mapper, documents, runs, transactions, Clock.fixed(now, ZoneOffset.UTC))
        .fire();
  }

  @Test
  void queuesTheDueTimeAtTheInstantItIsReached() {
    when(mapper.advance("cloth", DUE, DUE.plusSeconds(3600))).thenReturn(1);

    fireAt(DUE);

    verify(runs).requestDue("cloth", DUE);
  }

  @Test
  void makesUpForTheLastOfSeveralMissedTimesOnly() {
    Instant last = DUE.plusSeconds(5 * 3600);
    when(mapper.advance("cloth", DUE, last.plusSeconds(3600))).thenReturn(1);

    fireAt(last.plusSeconds(1200));

    verify(runs).requestDue("cloth", last);
  }

  @Test
  void leavesADueTimeToTheServiceThatMovedItOnFirst() {
    when(mapper.advance(any(), any(), any())).thenReturn(0);

    fireAt(DUE);

    verify(runs, never()).requestDue(any(), any());
  }

  @Test
  void endsWithTheSchedule() {
    keep("schedule: {cron: \"30 * * * *\", ends: 2026-03-01}");
    when(mapper.finish("cloth", DUE)).thenReturn(1);

    fireAt(Instant.parse("2026-03-04T00:00:00Z"));

    verify(runs).requestDue("cloth", Instant.parse("2026-03-01T23:30:00Z"));
    verify(mapper, never()).advance(any(), any(), any());
  }
}

package yardage.service.samplers;

import static org.mockito.ArgumentMatchers.any;
import static org.mockito.ArgumentMatchers.eq;
import static org.mockito.Mockito.clearInvocations;
import static org.mockito.Mockito.doReturn;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.timeout;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.time.Clock;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CountDownLatch;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.springframework.dao.DataAccessResourceFailureException;
import yardage.core.sampler.Chosen;
import yardage.service.documents.DocumentStore;
import yardage.service.documents.StoredDocument;

/** When pages are worked out by themselves, on a clock of the test's own. */
class SamplerRefreshTest {
  private static final Instant NIGHT = Instant.parse("2026-03-01T04:00:00Z");
  private static final int SOON = 10_000;
  private static final Chosen NORTH =
      new Chosen(Map.of("loom_hall", List.of(Optional.of("North"))));

  private final SamplerService samplers = mock();
  private final DocumentStore documents = mock();
  private final Clock clock = mock();
  private final SamplerRefresh refresh = new SamplerRefresh(samplers, documents, clock);

  @BeforeEach
  void hourly() {
    keep(1, "refresh: {cron: \"30 * * * *\"}");
    at(NIGHT);
  }

  @AfterEach
  void ends() {
    refresh.destroy();
  }

  private void keep(int version, String schedule) {
    String text =
        """
        sampler: week
        %s
        over: cloth.rolls
        choices:
          loom_hall: {begin: [North]}
        blocks:
          words: {text: Hello}
          woven: {number: metres_woven}
          rolls: {number: rolls_woven}
        """
            .formatted(schedule);
    doReturn(List.of(new StoredDocument("week", version, text, "ana", NIGHT)))
        .when(documents)
        .latest(DocumentStore.Kind.SAMPLER);
  }

  private void at(Instant now) {
    when(clock.instant()).thenReturn(now);
    refresh.look();
  }

  private static Instant minutes(int minutes) {
    return NIGHT.plusSeconds(60L * minutes);
  }

  private void verifyAsked(String block, int times) {
    verify(samplers, timeout(SOON).times(times)).answer(any(), eq(block), eq(NORTH));
  }

  @Test
  void aPageIsAskedAsItBeginsWhenItIsDue() {
    at(minutes(29));
    verify(samplers, never()).answer(any(), any(), any());

    at(minutes(30));
    verifyAsked("woven", 1);
    verifyAsked("rolls", 1);
    verify(samplers, timeout(SOON)).values(any(), eq("loom_hall"), eq(NORTH));
    at(minutes(31));
    at(minutes(89));
    at(minutes(90));
    verifyAsked("rolls", 2);
    verify(samplers, never()).answer(any(), eq("words"), any());
  }

  @Test
  void aBlockThatFailsDoesNotKeepTheOthersFromIt() {
    when(samplers.answer(any(), eq("woven"), any())).thenThrow(new IllegalStateException("away"));
    at(minutes(30));
    verifyAsked("rolls", 1);
  }

  @Test
  void aNewVersionHoldsFromThenOnAndOnlyAFewAreMadeUpFor() {
    keep(2, "refresh: {cron: \"0 6 * * *\"}");
    at(minutes(30));
    at(minutes(119));
    verify(samplers, never()).answer(any(), any(), any());
    // However many times were missed, the page is worked out once.
    at(minutes(60 * 24 * 5));
    verifyAsked("rolls", 1);

    clearInvocations(samplers);
    keep(3, "");
    at(minutes(60 * 24 * 9));
    verify(samplers, never()).answer(any(), any(), any());
  }

  @Test
  void timesAreLeftOutWhileAPageIsStillBeingWorkedOut() throws InterruptedException {
    CountDownLatch slow = new CountDownLatch(1);
    when(samplers.answer(any(), eq("woven"), any()))
        .thenAnswer(
            i -> {
              slow.await();
              return null;
            });
    at(minutes(30));
    verifyAsked("woven", 1);
    at(minutes(90));
    at(minutes(150));
    slow.countDown();
    verify(samplers, timeout(SOON)).values(any(), any(), any());
    verify(samplers, times(1)).answer(any(), eq("woven"), any());
  }

  @Test
  void itLooksAgainAfterTheDatabaseWasAway() {
    when(documents.latest(DocumentStore.Kind.SAMPLER))
        .thenThrow(new DataAccessResourceFailureException("away"));
    at(minutes(20));
    hourly();
    at(minutes(30));
    verifyAsked("rolls", 1);
  }
}

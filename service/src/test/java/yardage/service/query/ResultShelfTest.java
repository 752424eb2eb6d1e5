package yardage.service.query;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertSame;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.never;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import yardage.core.exec.KeptRows;
import yardage.core.exec.MemoryPool;
import yardage.service.web.ApiException;

/** Who may read a kept result, and when it goes. */
class ResultShelfTest {
  private static final Instant NOON = Instant.parse("2026-03-01T12:00:00Z");

  private final Clock clock = mock();
  private final MemoryPool memory = MemoryPool.root("test", 800);
  private final ResultShelf shelf = new ResultShelf(memory, clock);
  private final KeptRows rows = mock();

  @BeforeEach
  void noon() {
    when(clock.instant()).thenReturn(NOON);
  }

  private static void assertGone(Runnable read) {
    ApiException e = assertThrows(ApiException.class, read::run);
    assertEquals("This result is not kept any more", e.getMessage());
  }

  @Test
  void isReadByWhoAskedForItAlone() {
    String id = shelf.keep("ana", rows);
    assertSame(rows, shelf.of("ana", id).rows());
    assertGone(() -> shelf.of("ben", id));
    assertGone(() -> shelf.remove("ben", id));
    verify(rows, never()).close();
    shelf.remove("ana", id);
    verify(rows).close();
    assertGone(() -> shelf.of("ana", id));
  }

  @Test
  void goesWhenNobodyLooksAtItForAWhile() {
    String id = shelf.keep("ana", rows);
    Duration nearly = ResultShelf.IDLE.minusSeconds(1);
    when(clock.instant()).thenReturn(NOON.plus(nearly));
    shelf.sweep();
    shelf.of("ana", id);
    when(clock.instant()).thenReturn(NOON.plus(nearly).plus(nearly));
    shelf.sweep();
    verify(rows, never()).close();
    when(clock.instant()).thenReturn(NOON.plus(nearly).plus(nearly).plusSeconds(2));
    shelf.sweep();
    verify(rows).close();
    assertGone(() -> shelf.of("ana", id));
  }

  @Test
  void whatWasFoundInResultsIsKeptWhileMemoryAllows() {
    ResultShelf.Kept first = shelf.of("ana", shelf.keep("ana", rows));
    String id = shelf.keep("ana", rows);
    ResultShelf.Kept second = shelf.of("ana", id);
    shelf.found(first, new ResultShelf.Found("twill", new long[50]));
    shelf.found(second, new ResultShelf.Found("satin", new long[60]));
    assertEquals(400, memory.usedBytes());
    assertTrue(first.found("twill").isPresent() && second.found("satin").isEmpty());

    shelf.found(first, new ResultShelf.Found("plain", new long[10]));
    shelf.found(second, new ResultShelf.Found("satin", new long[60]));
    assertTrue(first.found("twill").isEmpty() && second.found("satin").isPresent());
    assertEquals(560, memory.usedBytes());
    shelf.remove("ana", id);
    shelf.found(second, new ResultShelf.Found("satin", new long[60]));
    assertEquals(80, memory.usedBytes(), "none of a result that is gone");
  }

  @Test
  void theOldestOfAPersonGivesWayAndAllGoWithTheService() {
    KeptRows other = mock();
    shelf.keep("ben", other);
    List<KeptRows> own = new ArrayList<>();
    for (int i = 0; i < ResultShelf.MOST_OF_ONE + 1; i++) {
      own.add(mock());
      shelf.keep("ana", own.get(i));
    }
    verify(own.get(0)).close();
    verify(own.get(1), never()).close();
    verify(other, never()).close();
    shelf.destroy();
    verify(own.get(1)).close();
    verify(other).close();
  }
}

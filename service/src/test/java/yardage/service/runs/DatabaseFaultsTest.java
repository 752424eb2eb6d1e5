package yardage.service.runs;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.times;
import static org.mockito.Mockito.verify;
import static org.mockito.Mockito.when;

import java.io.EOFException;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.sql.SQLException;
import java.sql.SQLIntegrityConstraintViolationException;
import java.sql.SQLNonTransientConnectionException;
import java.sql.SQLTransientConnectionException;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Supplier;
import org.junit.jupiter.api.Test;
import org.springframework.dao.DataAccessResourceFailureException;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.Lake;
import yardage.core.pipeline.run.RunFailedException;
import yardage.service.Transient;
import yardage.service.feeds.FeedService;

/** Which failures pass, and what a run must not need the database for. */
class DatabaseFaultsTest {
  @Test
  void onlyTheDatabasesOwnFailuresPass() {
    for (Throwable passing :
        List.of(
            new SQLNonTransientConnectionException("socket", "08000"),
            new SQLTransientConnectionException("no connection in time"),
            new SQLException("deadlock", "40001", 1213),
            new SQLException("shutting down", "HY000", 1053))) {
      assertTrue(Transient.is(new DataAccessResourceFailureException("x", passing)), "" + passing);
    }
    for (Throwable lasting :
        List.of(
            new EOFException("the file is cut"),
            new IOException("no space left"),
            new SQLIntegrityConstraintViolationException("duplicate", "23000", 1062),
            new SQLException("no such column", "42S22", 1054))) {
      assertFalse(Transient.is(new IllegalStateException(lasting)), "" + lasting);
    }
    assertFalse(
        Transient.is(
            new RunFailedException(
                "file-format", "read", "cut", new UncheckedIOException(new EOFException()))));
  }

  @Test
  void whatARunHasReadItNeverAsksForAgain() {
    FeedDefinition feed =
        FeedDefinition.parse("feed: rolls\nfiles: r/*\ntext: {}\ncolumns: {n: int}\n")
            .feed()
            .orElseThrow();
    FeedService feeds = mock(FeedService.class);
    when(feeds.feed("rolls", 3))
        .thenThrow(new DataAccessResourceFailureException("away"))
        .thenReturn(Optional.of(feed))
        .thenThrow(new DataAccessResourceFailureException("away again"));

    PinnedCatalog catalog =
        new PinnedCatalog(feeds, mock(Lake.class), Map.of("rolls", 3), DatabaseFaultsTest::again);

    assertEquals(Optional.of(feed), catalog.feed("rolls"));
    assertEquals(Optional.of(feed), catalog.feed("rolls"));
    assertEquals(Optional.empty(), catalog.feed("unknown"));
    verify(feeds, times(2)).feed("rolls", 3);
  }

  private static <T> T again(Supplier<T> action) {
    try {
      return action.get();
    } catch (DataAccessResourceFailureException e) {
      return action.get();
    }
  }
}

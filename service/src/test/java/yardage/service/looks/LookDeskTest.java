package yardage.service.looks;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.time.Clock;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CountDownLatch;
import org.junit.jupiter.api.Test;
import org.mockito.Mockito;
import org.springframework.boot.context.properties.bind.Binder;
import org.springframework.boot.context.properties.source.MapConfigurationPropertySource;
import yardage.core.exec.ExecutionContext;
import yardage.service.YardageProperties;
import yardage.service.memory.EngineMemory;
import yardage.service.web.ApiException;

class LookDeskTest {
  private final YardageProperties properties =
      new Binder(
              new MapConfigurationPropertySource(
                  Map.of(
                      "yardage.home",
                      Path.of("unused"),
                      "yardage.memory",
                      1000,
                      "yardage.query-time",
                      "300ms")))
          .bind("yardage", YardageProperties.class)
          .get();
  private final LookDesk desk =
      new LookDesk(
          Mockito.mock(EngineMemory.class), properties, request -> false, Clock.systemUTC());

  /** Works until it is told to stop. */
  private static String work(ExecutionContext context) {
    while (true) {
      context.cancel().check();
      Thread.onSpinWait();
    }
  }

  @Test
  void whatTakesTooLongIsEndedAndCareOfTablesIsNot() {
    desk.start();
    CompletableFuture<String> look =
        CompletableFuture.supplyAsync(() -> desk.look("query", "q", LookDeskTest::work));
    CompletableFuture<String> care =
        CompletableFuture.supplyAsync(() -> desk.care("compaction", "t", LookDeskTest::work));
    await(2);
    while (!look.isDone()) {
      desk.sweep();
      Thread.onSpinWait();
    }

    Throwable ended = assertThrows(Exception.class, look::get).getCause();
    assertTrue(ended.getMessage().contains("it took longer than"), ended.getMessage());
    assertEquals(List.of("compaction"), desk.looks().stream().map(LookDesk.Look::kind).toList());

    desk.stop();
    Throwable stopped = assertThrows(Exception.class, care::get).getCause();
    assertTrue(stopped.getMessage().contains("the service is stopping"), stopped.getMessage());
    assertEquals(List.of(), desk.looks());
  }

  @Test
  void onlySoManyRunAtOnce() {
    desk.start();
    CountDownLatch go = new CountDownLatch(1);
    List<CompletableFuture<Integer>> running = new ArrayList<>();
    for (int i = 0; i < 8; i++) {
      running.add(
          CompletableFuture.supplyAsync(
              () ->
                  desk.care(
                      "query",
                      "q",
                      context -> {
                        try {
                          go.await();
                        } catch (InterruptedException e) {
                          Thread.currentThread().interrupt();
                        }
                        return 1;
                      }),
              r -> new Thread(r).start()));
    }
    await(8);

    ApiException refused =
        assertThrows(ApiException.class, () -> desk.look("query", "one more", c -> 1));
    assertTrue(refused.getMessage().contains("8 queries"), refused.getMessage());

    go.countDown();
    running.forEach(CompletableFuture::join);
    assertEquals("done", desk.look("query", "now", c -> "done"));
  }

  private void await(int open) {
    long end = System.nanoTime() + Duration.ofSeconds(60).toNanos();
    while (desk.looks().size() < open) {
      assertTrue(System.nanoTime() < end, "not begun in time");
      Thread.onSpinWait();
    }
  }
}

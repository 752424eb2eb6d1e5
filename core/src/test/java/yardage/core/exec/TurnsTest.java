package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;
import static org.junit.jupiter.api.Assertions.assertThrows;

import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionException;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** Workers that wait for each other's memory: one goes on at a time, and none waits for ever. */
@Timeout(value = 30, threadMode = Timeout.ThreadMode.SEPARATE_THREAD)
class TurnsTest {
  private final Turns turns = new Turns();
  private final MemoryPool pool = MemoryPool.root("test", 1000);

  private MemoryPool.Reservation claim() {
    return pool.reservation(new StepTally("op", "test"), "rows");
  }

  private CompletableFuture<Void> worker(Runnable work) {
    return CompletableFuture.runAsync(
        () -> turns.during(work), thread -> new Thread(thread).start());
  }

  @Test
  void oneWorkerAtATimeIsAlone() {
    AtomicInteger inside = new AtomicInteger();
    AtomicInteger most = new AtomicInteger();
    Runnable count =
        () -> {
          most.accumulateAndGet(inside.incrementAndGet(), Math::max);
          Thread.yield();
          inside.decrementAndGet();
        };
    IntStream.range(0, 40)
        .mapToObj(i -> worker(() -> turns.alone(count)))
        .toList()
        .forEach(CompletableFuture::join);
    assertEquals(1, most.get());
  }

  @Test
  void memoryIsWaitedForUntilAnotherGivesItBack() {
    CountDownLatch held = new CountDownLatch(1);
    MemoryPool.Reservation own = claim();
    CompletableFuture<Void> other =
        worker(
            () -> {
              MemoryPool.Reservation much = claim();
              much.resize(900);
              held.countDown();
              pause();
              much.close();
              turns.alone(() -> {});
            });
    await(held);
    worker(() -> turns.alone(() -> turns.insist(own, 800))).join();
    other.join();
    assertEquals(800, pool.usedBytes());
  }

  @Test
  void whoWaitsToBeAloneIsNotWaitedFor() {
    CountDownLatch alone = new CountDownLatch(1);
    MemoryPool.Reservation kept = claim();
    kept.resize(900);
    CompletableFuture<Void> first =
        worker(
            () ->
                turns.alone(
                    () -> {
                      alone.countDown();
                      pause();
                      turns.insist(claim(), 800);
                    }));
    await(alone);
    CompletableFuture<Void> second = worker(() -> turns.alone(() -> {}));
    Throwable refused = assertThrows(CompletionException.class, first::join).getCause();
    assertInstanceOf(MemoryExceededException.class, refused);
    second.join();
  }

  private static void await(CountDownLatch latch) {
    try {
      latch.await();
    } catch (InterruptedException e) {
      throw new IllegalStateException(e);
    }
  }

  private static void pause() {
    try {
      Thread.sleep(50);
    } catch (InterruptedException e) {
      throw new IllegalStateException(e);
    }
  }
}

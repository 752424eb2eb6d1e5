package yardage.core.exec;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;

/** Who gets a processor, and who makes way. */
class ProcessorsTest {
  /** Computes a little at a time until told to stop, and counts how often. */
  private static Thread worker(
      Processors.Share share,
      AtomicLong count,
      AtomicInteger atOnce,
      AtomicInteger most,
      CountDownLatch stop) {
    Thread thread =
        new Thread(
            () -> {
              try (Processors.Turn turn = share.take()) {
                while (stop.getCount() > 0) {
                  most.accumulateAndGet(atOnce.incrementAndGet(), Math::max);
                  long until = System.nanoTime() + 500_000;
                  while (System.nanoTime() < until) {
                    Thread.onSpinWait();
                  }
                  count.incrementAndGet();
                  atOnce.decrementAndGet();
                  turn.border();
                }
              }
            });
    thread.start();
    return thread;
  }

  @Test
  void aRunWithManyWorkersGetsNoMoreThanOneWithOne() throws InterruptedException {
    Processors one = new Processors(1);
    Processors.Share many = one.share();
    Processors.Share few = one.share();
    AtomicLong ofMany = new AtomicLong();
    AtomicLong ofFew = new AtomicLong();
    AtomicInteger atOnce = new AtomicInteger();
    AtomicInteger most = new AtomicInteger();
    CountDownLatch stop = new CountDownLatch(1);
    List<Thread> threads = new ArrayList<>();
    for (int i = 0; i < 7; i++) {
      threads.add(worker(many, ofMany, atOnce, most, stop));
    }
    threads.add(worker(few, ofFew, atOnce, most, stop));
    Thread.sleep(1_500);
    stop.countDown();
    for (Thread t : threads) {
      t.join();
    }

    double share = (double) ofFew.get() / (ofFew.get() + ofMany.get());
    assertTrue(share > 0.35 && share < 0.65, "the run with one worker had " + share);
    assertEquals(1, most.get(), "never two at once on one processor");
  }

  @Test
  void whoWaitsForSomethingElseKeepsNoProcessor() throws InterruptedException {
    Processors one = new Processors(1);
    CountDownLatch other = new CountDownLatch(1);
    boolean[] came = new boolean[1];
    Thread waiting =
        new Thread(
            () -> {
              try (Processors.Turn turn = one.share().take()) {
                Processors.away(
                    () -> {
                      try {
                        came[0] = other.await(10, TimeUnit.SECONDS);
                      } catch (InterruptedException e) {
                        Thread.currentThread().interrupt();
                      }
                    });
              }
            });
    waiting.start();
    Thread working =
        new Thread(
            () -> {
              try (Processors.Turn turn = one.share().take()) {
                other.countDown();
              }
            });
    working.start();
    working.join(10_000);
    waiting.join(10_000);

    assertTrue(came[0]);
  }

  @Test
  void aWorkerThatWaitsInVainGoesOnWithout() throws InterruptedException {
    Processors one = new Processors(1);
    boolean[] went = new boolean[1];
    try (Processors.Turn held = one.share().take()) {
      Thread other =
          new Thread(
              () -> {
                try (Processors.Turn turn = one.share().take()) {
                  went[0] = true;
                }
              });
      other.start();
      other.join(5_000);
    }

    assertTrue(went[0]);
    // It had none, so it gave none back: there is one again, and not two.
    AtomicInteger most = new AtomicInteger();
    CountDownLatch stop = new CountDownLatch(1);
    AtomicInteger atOnce = new AtomicInteger();
    List<Thread> two =
        List.of(
            worker(one.share(), new AtomicLong(), atOnce, most, stop),
            worker(one.share(), new AtomicLong(), atOnce, most, stop));
    Thread.sleep(300);
    stop.countDown();
    for (Thread t : two) {
      t.join();
    }
    assertEquals(1, most.get());
  }
}

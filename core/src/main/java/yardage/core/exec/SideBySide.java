package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.Function;

/**
 * Work outside of runs, mostly waiting for disks, with threads of its own: the common pool of the
 * platform is anybody's.
 */
public final class SideBySide {
  private static final int THREADS = 2 * Runtime.getRuntime().availableProcessors();

  private SideBySide() {}

  /** What a function gives for each item, in their order; the first failure is thrown. */
  public static <T, R> List<R> map(List<T> items, Function<T, R> function) {
    Object[] out = new Object[items.size()];
    AtomicInteger next = new AtomicInteger();
    AtomicReference<Throwable> failure = new AtomicReference<>();
    Runnable work =
        () -> {
          int i;
          while (failure.get() == null && (i = next.getAndIncrement()) < out.length) {
            try {
              out[i] = function.apply(items.get(i));
            } catch (RuntimeException | Error e) {
              failure.compareAndSet(null, e);
            }
          }
        };
    List<Thread> threads = new ArrayList<>();
    for (int t = 1; t < Math.min(THREADS, out.length); t++) {
      Thread thread = new Thread(work, "yardage-files-" + t);
      thread.setDaemon(true);
      thread.start();
      threads.add(thread);
    }
    work.run();
    Joining.join(threads);
    if (failure.get() instanceof RuntimeException e) {
      throw e;
    }
    if (failure.get() instanceof Error e) {
      throw e;
    }
    List<R> results = new ArrayList<>();
    for (Object one : out) {
      @SuppressWarnings("unchecked")
      R result = (R) one;
      results.add(result);
    }
    return results;
  }
}

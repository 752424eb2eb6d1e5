package yardage.core.exec;

import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.atomic.LongAdder;

/** The live counters behind a {@link Tally}; workers add once per batch. Thread-safe. */
public final class StepTally {
  private final String step;
  private final String verb;
  public final LongAdder rowsIn = new LongAdder();
  public final LongAdder rightIn = new LongAdder();
  public final LongAdder rowsOut = new LongAdder();
  public final LongAdder setAside = new LongAdder();
  public final LongAdder merged = new LongAdder();
  public final LongAdder filtered = new LongAdder();
  public final LongAdder unmatched = new LongAdder();
  public final LongAdder multiplied = new LongAdder();
  public final LongAdder added = new LongAdder();
  public final LongAdder folded = new LongAdder();
  public final LongAdder absorbed = new LongAdder();
  public final LongAdder matched = new LongAdder();
  public final LongAdder bytesRead = new LongAdder();
  public final LongAdder bytesWritten = new LongAdder();
  public final LongAdder filesRead = new LongAdder();
  public final LongAdder filesSkipped = new LongAdder();
  public final LongAdder filesWritten = new LongAdder();
  final LongAdder cpuNanos = new LongAdder();
  private final AtomicLong memory = new AtomicLong();
  private final AtomicLong peak = new AtomicLong();
  private final AtomicLong started = new AtomicLong();
  private final AtomicLong finished = new AtomicLong();

  private final java.util.concurrent.ConcurrentMap<String, LongAdder> values =
      new java.util.concurrent.ConcurrentHashMap<>();

  public StepTally(String step, String verb) {
    this.step = step;
    this.verb = verb;
  }

  public String step() {
    return step;
  }

  public String verb() {
    return verb;
  }

  /**
   * Counts values, not rows, that the step changed.
   *
   * @param what in words that follow a number, such as {@code values of [metres] were filled}
   */
  public void changed(String what, long values) {
    if (values > 0) {
      this.values.computeIfAbsent(what, w -> new LongAdder()).add(values);
    }
  }

  /** How many values the step changed, by what was done to them. */
  public java.util.Map<String, Long> changedValues() {
    java.util.Map<String, Long> out = new java.util.TreeMap<>();
    values.forEach((what, n) -> out.put(what, n.sum()));
    return out;
  }

  void memoryChanged(long bytes) {
    long now = memory.addAndGet(bytes);
    peak.accumulateAndGet(now, Math::max);
  }

  /** Adds time that a worker spent in this step, up to {@code now}. */
  void spent(long nanos, long now) {
    started.compareAndSet(0, now - nanos);
    finished.set(now);
    cpuNanos.add(nanos);
  }

  public Tally snapshot() {
    return new Tally(
        step,
        verb,
        rowsIn.sum(),
        rightIn.sum(),
        rowsOut.sum(),
        setAside.sum(),
        merged.sum(),
        filtered.sum(),
        unmatched.sum(),
        multiplied.sum(),
        added.sum(),
        folded.sum(),
        absorbed.sum(),
        matched.sum(),
        bytesRead.sum(),
        bytesWritten.sum(),
        filesRead.sum(),
        filesSkipped.sum(),
        filesWritten.sum(),
        cpuNanos.sum(),
        peak.get(),
        started.get(),
        finished.get());
  }
}

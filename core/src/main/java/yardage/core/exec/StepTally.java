package yardage.core.exec;

import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ConcurrentMap;
import java.util.concurrent.atomic.AtomicLong;
import java.util.concurrent.atomic.LongAdder;
import java.util.function.Supplier;
import yardage.core.column.Batch;

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
  public final LongAdder bytesSpilled = new LongAdder();
  public final Counts partitions = new Counts();
  public final Counts files = new Counts();
  public final Counts rowGroups = new Counts();
  public final Counts pages = new Counts();
  public final LongAdder filesWritten = new LongAdder();

  final LongAdder cpuNanos = new LongAdder();
  private final AtomicLong memory = new AtomicLong();
  private final AtomicLong peak = new AtomicLong();
  private final AtomicLong started = new AtomicLong();
  private final AtomicLong finished = new AtomicLong();

  private final ConcurrentMap<LeftOut, LongAdder> leftOut = new ConcurrentHashMap<>();

  /** The live counters behind {@link Reads.Count}. */
  public static final class Counts {
    public final LongAdder read = new LongAdder();
    public final LongAdder leftOut = new LongAdder();

    void add(Reads.Count count) {
      read.add(count.read());
      leftOut.add(count.leftOut());
    }
  }

  private final ConcurrentMap<String, LongAdder> values = new ConcurrentHashMap<>();

  private final ConcurrentMap<String, Checked> checks = new ConcurrentHashMap<>();

  /** Looking at a key costs more than a match does, so a join that multiplies all stops looking. */
  private static final long MOST_KEY_LOOKS = 1_000_000;

  private static final int MOST_KEYS = 10_000;
  private final AtomicLong keysSeen = new AtomicLong();
  private final ConcurrentMap<String, LongAdder> multipliedKeys = new ConcurrentHashMap<>();
  private volatile AsideRows aside = AsideRows.NONE;
  private volatile BatchConsumer watcher = batch -> {};

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

  /** Counts what a scan did not read, and why. */
  public void leftOut(LeftOut what, long count) {
    if (count == 0) {
      return;
    }
    Counts of =
        switch (what.unit()) {
          case FILES -> files;
          case ROW_GROUPS -> rowGroups;
          case PAGES -> pages;
        };
    of.leftOut.add(count);
    leftOut.computeIfAbsent(what, w -> new LongAdder()).add(count);
  }

  /** What was not read, and why. */
  public Map<LeftOut, Long> leftOut() {
    Map<LeftOut, Long> out = new TreeMap<>();
    leftOut.forEach((what, n) -> out.put(what, n.sum()));
    return out;
  }

  /** Has somebody see all rows that go out of the step; called by many threads. */
  public void watch(BatchConsumer watcher) {
    this.watcher = watcher;
  }

  void watched(Batch batch) {
    watcher.accept(batch);
  }

  /** Where rows go that the step sets aside. */
  public void keepAside(AsideRows rows) {
    this.aside = rows;
  }

  /** Sets a row aside, and counts it. */
  public void setAside(String row, String field, String reason, String message) {
    setAside.increment();
    aside.add(row, field, reason, message);
  }

  /**
   * What a rule of a check has seen.
   *
   * @param example a row that did not meet it, or what was found
   * @param metByNothing whether no rows at all meet it
   */
  public record Checked(long rows, long failed, String example, boolean metByNothing) {
    /** Of no rows, and met by that. */
    public static final Checked NOTHING = new Checked(0, 0, "", true);
  }

  /** Notes a rule before rows come, so that one without rows is told of too. */
  public void rule(String name, boolean metByNothing) {
    checks.putIfAbsent(name, new Checked(0, 0, "", metByNothing));
  }

  /** Counts rows held against a rule; the first example of one that failed stays. */
  public void checked(String rule, long rows, long failed, String example) {
    checks.merge(
        rule,
        new Checked(rows, failed, example, true),
        (a, b) ->
            new Checked(
                a.rows() + b.rows(),
                a.failed() + b.failed(),
                a.example().isEmpty() ? b.example() : a.example(),
                a.metByNothing()));
  }

  /** What the step's rules have seen, by name. */
  public Map<String, Checked> checks() {
    return new TreeMap<>(checks);
  }

  /** Counts a match of a key beyond its row's first; only so many keys are kept apart. */
  void multipliedKey(Supplier<String> key) {
    if (keysSeen.incrementAndGet() <= MOST_KEY_LOOKS) {
      String text = key.get();
      if (multipliedKeys.size() < MOST_KEYS || multipliedKeys.containsKey(text)) {
        multipliedKeys.computeIfAbsent(text, k -> new LongAdder()).increment();
      }
    }
  }

  /** Keys whose rows a join multiplied, with how many rows more they gave; the worst first. */
  public List<Map.Entry<String, Long>> multipliedKeys() {
    return multipliedKeys.entrySet().stream()
        .map(e -> Map.entry(e.getKey(), e.getValue().sum()))
        .sorted(Map.Entry.<String, Long>comparingByValue().reversed())
        .toList();
  }

  /** How many values the step changed, by what was done to them. */
  public Map<String, Long> changedValues() {
    Map<String, Long> out = new TreeMap<>();
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

  /** What was written is taken back, because nothing would have changed. */
  public void nothingWritten() {
    bytesWritten.reset();
    filesWritten.reset();
  }

  /** What was counted so far, as a value. */
  public StepCounts counts() {
    Map<String, Long> keys = new TreeMap<>();
    multipliedKeys.forEach((key, n) -> keys.put(key, n.sum()));
    return new StepCounts(snapshot(), changedValues(), checks(), keys, leftOut());
  }

  /** Adds what a task has counted elsewhere. */
  public void add(StepCounts counts) {
    Tally t = counts.tally();
    rowsIn.add(t.rowsIn());
    rightIn.add(t.rightIn());
    rowsOut.add(t.rowsOut());
    setAside.add(t.setAside());
    merged.add(t.merged());
    filtered.add(t.filtered());
    unmatched.add(t.unmatched());
    multiplied.add(t.multiplied());
    added.add(t.added());
    folded.add(t.folded());
    absorbed.add(t.absorbed());
    matched.add(t.matched());
    bytesRead.add(t.bytesRead());
    bytesWritten.add(t.bytesWritten());
    bytesSpilled.add(t.bytesSpilled());
    partitions.add(t.reads().partitions());
    files.add(t.reads().files());
    rowGroups.add(t.reads().rowGroups());
    pages.add(t.reads().pages());
    filesWritten.add(t.filesWritten());
    peak.accumulateAndGet(t.peakBytes(), Math::max);
    if (t.cpuNanos() > 0) {
      // Another process has a clock of its own: it ended now.
      spent(t.cpuNanos(), System.nanoTime());
    }
    counts.changedValues().forEach(this::changed);
    counts
        .leftOut()
        .forEach((what, n) -> leftOut.computeIfAbsent(what, w -> new LongAdder()).add(n));
    counts
        .checks()
        .forEach(
            (name, c) -> {
              rule(name, c.metByNothing());
              checked(name, c.rows(), c.failed(), c.example());
            });
    counts
        .multipliedKeys()
        .forEach((key, n) -> multipliedKeys.computeIfAbsent(key, k -> new LongAdder()).add(n));
  }

  public Tally snapshot() {
    // A dedupe that makes one row of several groups them, and to its reader they are merged.
    boolean merges = verb.equals("dedupe");
    return new Tally(
        step,
        verb,
        rowsIn.sum(),
        rightIn.sum(),
        rowsOut.sum(),
        setAside.sum(),
        merged.sum() + (merges ? folded.sum() : 0),
        filtered.sum(),
        unmatched.sum(),
        multiplied.sum(),
        added.sum(),
        merges ? 0 : folded.sum(),
        absorbed.sum(),
        matched.sum(),
        bytesRead.sum(),
        bytesWritten.sum(),
        partitions.read.sum(),
        partitions.leftOut.sum(),
        files.read.sum(),
        files.leftOut.sum(),
        rowGroups.read.sum(),
        rowGroups.leftOut.sum(),
        pages.read.sum(),
        pages.leftOut.sum(),
        filesWritten.sum(),
        cpuNanos.sum(),
        peak.get(),
        started.get(),
        finished.get(),
        bytesSpilled.sum());
  }
}

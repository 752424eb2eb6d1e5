package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.List;
import java.util.Objects;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateSpec;

/**
 * Groups and aggregates. Each worker has groups of its own, merged into the largest at the end.
 *
 * <p>A worker whose groups find no more memory hands them to an exchange, cut by the hash of their
 * keys, with what is known of each so far, and begins again. The groups of each part then meet on
 * their own, when they are read; a part that is too large is cut once more, by other bits.
 */
final class AggregateSink implements Holding {
  private static final int PARTS = 32;

  /** Fewer groups of the second worker are merged sooner by one. */
  private static final int WORTH_ALL_WORKERS = 20_000;

  /** Enough that workers end together, and that a part's table fits a cache better. */
  private static final int PARTS_A_WORKER = 8;

  /** Beyond this many cuts what is left are groups that are large themselves. */
  private static final int MOST_LEVELS = 6;

  private final Grouping grouping;
  private final ExecutionContext context;
  private final List<WorkerGroups> workers = new ArrayList<>();
  private final Turns turns = new Turns();
  private Exchange spilled;

  /** The groups, in one part or several. */
  private List<List<Column>> result = List.of();

  private final MemoryPool.Reservation merging;

  AggregateSink(AggregateSpec spec, StepTally tally, ExecutionContext context) {
    this.grouping = new Grouping(spec, tally, context);
    this.context = context;
    this.merging = grouping.claim();
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    WorkerGroups groups = new WorkerGroups(grouping, this::spilled);
    workers.add(groups);
    return groups;
  }

  private synchronized Exchange spilled() {
    if (spilled == null) {
      spilled = grouping.exchange(PARTS);
    }
    return spilled;
  }

  @Override
  public void finish() {
    if (workers.isEmpty()) {
      workers.add(new WorkerGroups(grouping, this::spilled));
    }
    if (workers.stream().anyMatch(WorkerGroups::isParted)) {
      Parallel.forEach(workers, context, WorkerGroups::settle);
    }
    if (spilled == null) {
      mergeAll();
    }
    if (spilled != null) {
      workers.forEach(WorkerGroups::flush);
      workers.forEach(WorkerGroups::close);
      workers.clear();
    }
  }

  private void mergeAll() {
    workers.sort((a, b) -> Integer.compare(b.count(), a.count()));
    boolean areMany = workers.size() > 1 && workers.get(1).count() >= WORTH_ALL_WORKERS;
    if (areMany || workers.stream().anyMatch(WorkerGroups::isParted)) {
      mergeInParts();
      return;
    }
    Groups all = workers.get(0).whole();
    for (WorkerGroups worker : workers.subList(1, workers.size())) {
      context.cancel().check();
      Groups other = worker.whole();
      if (other.count() > 0 && !all.hasRoomFor(other)) {
        spilled();
        return;
      }
      all.merge(other);
    }
    if (grouping.spec.keys().length == 0 && all.count() == 0) {
      all.ensure(1);
      grouping.tally.added.increment();
    }
    result = List.of(all.build());
    // The others are spent, and their memory has been given back.
    workers.subList(1, workers.size()).clear();
  }

  /** Cuts the groups of all workers by their hashes, so that each part is merged by one worker. */
  private void mergeInParts() {
    long needed = 2 * workers.stream().mapToLong(WorkerGroups::sizeBytes).sum();
    if (!merging.tryMost(needed)) {
      spilled();
      return;
    }
    boolean parted = workers.stream().anyMatch(WorkerGroups::isParted);
    int parts = parted ? WorkerGroups.PARTS : PARTS_A_WORKER * context.workers();
    Groups.Known[] known = new Groups.Known[workers.size()];
    Parallel.forEach(
        IntStream.range(0, known.length).filter(w -> !workers.get(w).isParted()).boxed().toList(),
        context,
        w -> {
          Groups whole = workers.get(w).whole();
          TextRoom.accounted(() -> known[w] = whole.known(parts));
          whole.forget();
        });
    List<List<Column>> merged = new ArrayList<>(Collections.nCopies(parts, List.of()));
    Parallel.forEach(
        IntStream.range(0, parts).boxed().toList(),
        context,
        part -> {
          List<Column> built = merged(part, known);
          synchronized (merged) {
            merged.set(part, built);
          }
        });
    workers.forEach(WorkerGroups::close);
    workers.clear();
    result = merged;
    merging.resize(merged.stream().flatMap(List::stream).mapToLong(Column::sizeBytes).sum());
  }

  /**
   * @param known of the workers whose groups are not in parts
   */
  private List<Column> merged(int part, Groups.Known[] known) {
    Groups into =
        workers.stream()
            .filter(WorkerGroups::isParted)
            .findFirst()
            .map(w -> w.part(part))
            .orElseGet(() -> new Groups(grouping, 0));
    for (int w = 0; w < known.length; w++) {
      if (known[w] != null) {
        known[w].give(part, into::addState);
      } else if (workers.get(w).part(part) != into) {
        into.absorb(workers.get(w).part(part));
      }
    }
    List<Column> built = into.build();
    into.reservation.close();
    return built;
  }

  @Override
  public void abort() {
    release();
  }

  @Override
  public ScanSource source() {
    return () ->
        spilled == null
            ? result.stream()
                .flatMap(part -> BatchStore.source(() -> part).splits().stream())
                .toList()
            : spilled.splits(turns, (p, out) -> readPart(spilled, p, 1, out));
  }

  /**
   * Merges the groups of one part, and gives them.
   *
   * @param level how often they were cut
   */
  private void readPart(Exchange from, int part, int level, BatchConsumer out) {
    if (from.rows(part) == 0) {
      return;
    }
    Exchange further = null;
    try {
      Groups groups = new Groups(grouping, level);
      try {
        for (int f = 0; f < from.frames(part); f++) {
          context.cancel().check();
          groups.addState(from.frame(part, f));
          if (!groups.fits()) {
            boolean large = groups.count() <= 1 || level >= MOST_LEVELS;
            if (large && grouping.ranks && further == null) {
              groups.discard();
              turns.alone(() -> readRanked(from, part, out));
              return;
            } else if (large && !grouping.ranks) {
              turns.insist(groups.reservation, groups.sizeBytes());
            } else {
              further = further == null ? grouping.exchange(PARTS) : further;
              groups.flush(further);
            }
          }
        }
        if (further == null) {
          groups.give(out);
          return;
        }
        groups.flush(further);
      } finally {
        groups.reservation.close();
      }
      for (int p = 0; p < PARTS; p++) {
        readPart(further, p, level + 1, out);
      }
    } finally {
      if (further != null) {
        further.close();
      }
    }
  }

  /** As {@link #readPart}, of groups of which one has more values than memory takes. */
  private void readRanked(Exchange from, int part, BatchConsumer out) {
    Groups others = new Groups(grouping, 0, true);
    RankedValues[] ranked = new RankedValues[grouping.spec.calls().size()];
    try (MemoryPool.Reservation frame = grouping.claim()) {
      for (int f = 0; f < from.frames(part); f++) {
        context.cancel().check();
        turns.insist(frame, 2 * from.rowBytes(part) / from.frames(part));
        Batch batch = from.frame(part, f);
        others.addState(batch);
        turns.insist(others.reservation, others.sizeBytes());
        int at = grouping.keyTypes.size();
        for (int a = 0; a < ranked.length; a++) {
          AggregateCall call = grouping.spec.calls().get(a);
          int width = others.accumulator(a).stateTypes().size();
          List<Column> state = batch.columns().subList(at, at + width);
          at += width;
          if (RankedValues.computes(call)) {
            if (ranked[a] == null) {
              List<Type> types =
                  state.stream().map(s -> ((ListColumn) s).elements().type()).toList();
              ranked[a] = new RankedValues(call, grouping.keyTypes, types, grouping.tally, context);
            }
            ranked[a].add(
                batch.columns().subList(0, grouping.keyTypes.size()), batch.rowCount(), state);
          }
        }
      }
      frame.resize(0);
      int groups = others.count();
      Column[] values = new Column[ranked.length];
      for (int a = 0; a < ranked.length; a++) {
        values[a] = ranked[a] == null ? null : ranked[a].values(others.table(), groups, turns);
      }
      List<Column> columns = others.build();
      for (int a = 0; a < ranked.length; a++) {
        if (values[a] != null) {
          columns.set(grouping.keyTypes.size() + a, values[a]);
        }
      }
      Groups.give(columns, groups, out);
    } finally {
      others.reservation.close();
      Arrays.stream(ranked).filter(Objects::nonNull).forEach(RankedValues::close);
    }
  }

  @Override
  public void release() {
    workers.forEach(WorkerGroups::close);
    merging.close();
    if (spilled != null) {
      spilled.close();
    }
    result = List.of();
  }
}

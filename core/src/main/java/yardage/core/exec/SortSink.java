package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.plan.FirstReach;
import yardage.core.plan.SortSpec;

/**
 * Sorts and cuts. Rows that compare alike stay in the order of the input.
 *
 * <p>When rows find no more memory, a worker sorts what it has and writes it as a run; the runs are
 * merged when they are read (Knuth, The Art of Computer Programming, volume 3, 5.4). Where only the
 * first rows are wanted, a worker keeps no more than about twice as many.
 */
final class SortSink implements Holding {
  /** More wanted rows than these are sorted like all. */
  private static final long MOST_KEPT = 1 << 17;

  /** Each run that is merged holds one frame in memory. */
  private static final int MOST_MERGED = 200;

  static final int RUN_FRAME_ROWS = 512;

  /** Of the one run that is read from many places. */
  private static final long FRAME_BYTES = 1 << 13;

  private static final int LEAST_FRAME_ROWS = 16;

  /** What sorting takes for each row beside a copy of it: its place, its number, and its keys. */
  private static final int ROW_BYTES = 16 + RowOrder.SORT_BYTES;

  private static final Places NO_PLACES = new Places(new int[0], new long[0], new int[0]);
  private static final Sorted NOTHING = new Sorted(List.of(), NO_PLACES, new int[0]);

  private final SortSpec spec;
  private final StepTally tally;
  private final ExecutionContext context;
  private final List<Type> types;
  private final RowOrder order;
  private final long wanted;
  private final boolean keepsPlaces;
  private final Optional<FirstReach> reach;
  private final List<Buffer> workers = new ArrayList<>();
  private final MemoryPool.Reservation finishing;
  private Exchange runs;
  private Sorted result = NOTHING;
  private long rowCount;

  SortSink(SortSpec spec, StepTally tally, ExecutionContext context) {
    this(spec, false, tally, context);
  }

  /**
   * @param keepsPlaces whether rows that fit in memory keep their places, for {@link #run}
   */
  SortSink(SortSpec spec, boolean keepsPlaces, StepTally tally, ExecutionContext context) {
    this.keepsPlaces = keepsPlaces;
    this.spec = spec;
    this.tally = tally;
    this.context = context;
    this.types = spec.schema().types();
    this.order = new RowOrder(spec.keys());
    this.wanted = spec.fetch() < 0 ? Long.MAX_VALUE : spec.offset() + spec.fetch();
    this.reach =
        spec.stops() && !spec.keys().isEmpty()
            ? Optional.of(
                new FirstReach(spec.keys().get(0).descending(), spec.keys().get(0).nullsFirst()))
            : Optional.empty();
    this.finishing = context.memory().reservation(tally, "rows to sort");
  }

  /** After how many rows nothing more needs to be read. */
  OptionalLong enough() {
    return spec.stops() && spec.keys().isEmpty() ? OptionalLong.of(wanted) : OptionalLong.empty();
  }

  /** How far the rows reach that are wanted; empty where all of them are, or none has an order. */
  Optional<FirstReach> reach() {
    return reach;
  }

  @Override
  public synchronized BatchConsumer consumer(Worker worker) {
    Buffer buffer = new Buffer();
    workers.add(buffer);
    return buffer;
  }

  private synchronized int newRun() {
    if (runs == null) {
      runs = new Exchange(0, types, context, tally, "sorted rows");
    }
    return runs.addPart();
  }

  @Override
  public void finish() {
    List<Batch> all = new ArrayList<>();
    workers.forEach(w -> all.addAll(w.batches));
    // What the workers have claimed for sorting goes over to this.
    workers.forEach(w -> w.reservation.resize(0));
    if (runs == null && !finishing.tryMost(needed(all))) {
      workers.forEach(Buffer::writeRun);
    }
    if (runs == null) {
      rowCount += all.stream().mapToLong(Batch::rowCount).sum();
      Sorted sorted = sort(all, context);
      int from = (int) Math.min(spec.offset(), sorted.rows.length);
      int to = spec.fetch() < 0 ? sorted.rows.length : (int) Math.min(sorted.rows.length, wanted);
      tally.filtered.add(rowCount - Math.max(0, to - from));
      Places places = keepsPlaces ? sorted.places : NO_PLACES;
      // Whoever reads puts rows side by side in their new order: many can do that at a time.
      result = new Sorted(sorted.columns, places, Arrays.copyOfRange(sorted.rows, from, to));
      finishing.resize(result.sizeBytes());
    } else {
      workers.forEach(Buffer::writeRun);
      while (runs.parts() > MOST_MERGED) {
        mergeSome();
      }
    }
    workers.forEach(Buffer::release);
    workers.clear();
  }

  @Override
  public void abort() {
    release();
  }

  /**
   * All rows as one run, with their places; once, behind {@link #finish} and in place of {@link
   * #source}.
   */
  Exchange run() {
    Exchange out = new Exchange(1, types, context, tally, "sorted rows");
    try {
      if (runs == null) {
        int rows = frameRows(result.sizeBytes(), result.rows.length);
        for (int from = 0; from < result.rows.length; from += rows) {
          context.cancel().check();
          out.add(0, batch(result, from, Math.min(result.rows.length, from + rows)));
        }
      } else {
        long bytes = IntStream.range(0, runs.parts()).mapToLong(runs::rowBytes).sum();
        new Merge(runs, 0, runs.parts())
            .until(wanted, frameRows(bytes, rowCount), batch -> out.add(0, batch));
        tally.filtered.add(Math.max(0, rowCount - wanted));
      }
      release();
      return out;
    } catch (RuntimeException | Error e) {
      out.close();
      throw e;
    }
  }

  /** Few enough of wide rows, so that many frames can be in memory. */
  private static int frameRows(long bytes, long rows) {
    long fit = FRAME_BYTES * rows / Math.max(1, bytes);
    return (int) Math.max(LEAST_FRAME_ROWS, Math.min(RUN_FRAME_ROWS, fit));
  }

  @Override
  public ScanSource source() {
    return runs == null
        ? BatchStore.source(result.columns, result.rows)
        : () ->
            List.of(
                (worker, out) -> {
                  long given = merge(runs, spec.offset(), wanted, out);
                  tally.filtered.add(rowCount - given);
                });
  }

  @Override
  public void release() {
    workers.forEach(Buffer::release);
    workers.clear();
    finishing.close();
    if (runs != null) {
      runs.close();
    }
    result = NOTHING;
  }

  /** Rows side by side, and the order in which they are to be taken. */
  private record Sorted(List<Column> columns, Places places, int[] rows) {
    long sizeBytes() {
      return columns.stream().mapToLong(Column::sizeBytes).sum()
          + 4L * rows.length
          + 16L * places.rows().length;
    }
  }

  /** What sorting takes, with a copy of the rows. */
  private static long needed(List<Batch> batches) {
    long rows = batches.stream().mapToLong(Batch::rowCount).sum();
    return 2 * batches.stream().mapToLong(Batch::sizeBytes).sum() + ROW_BYTES * rows;
  }

  /**
   * @param with the workers that sort
   */
  private Sorted sort(List<Batch> batches, ExecutionContext with) {
    Sorted[] out = new Sorted[1];
    TextRoom.accounted(() -> out[0] = sorted(batches, with));
    return out[0];
  }

  private Sorted sorted(List<Batch> batches, ExecutionContext with) {
    Batch all = InputOrder.together(types, batches, with);
    int[] rows = IntStream.range(0, all.rowCount()).toArray();
    if (!spec.keys().isEmpty()) {
      order.sort(all.columns(), rows, with);
    }
    return new Sorted(all.columns(), all.placesOfRows(), rows);
  }

  private static Batch batch(Sorted sorted, int from, int to) {
    int[] rows = Arrays.copyOfRange(sorted.rows, from, to);
    return new Batch(
        sorted.columns.stream().map(c -> c.gather(rows, rows.length)).toList(),
        rows.length,
        sorted.places.gather(rows, rows.length));
  }

  /** Merges runs, as many at once as may be, into fewer. */
  private void mergeSome() {
    try (Exchange all = runs) {
      runs = new Exchange(0, types, context, tally, "sorted rows");
      for (int from = 0; from < all.parts(); from += MOST_MERGED) {
        int part = runs.addPart();
        Merge merge = new Merge(all, from, Math.min(all.parts(), from + MOST_MERGED));
        merge.until(wanted, RUN_FRAME_ROWS, batch -> runs.add(part, batch));
      }
    }
  }

  /**
   * Gives the rows of all runs in order.
   *
   * @return how many were given
   */
  private long merge(Exchange from, long offset, long to, BatchConsumer out) {
    long[] seen = {0, 0};
    new Merge(from, 0, from.parts())
        .until(
            to,
            RUN_FRAME_ROWS,
            batch -> {
              long first = Math.max(0, offset - seen[0]);
              long last = Math.min(batch.rowCount(), to - seen[0]);
              seen[0] += batch.rowCount();
              if (first < last) {
                int[] rows = new int[(int) (last - first)];
                for (int i = 0; i < rows.length; i++) {
                  rows[i] = (int) first + i;
                }
                // Sorted rows stand as they come from here.
                List<Column> columns =
                    batch.columns().stream().map(c -> c.gather(rows, rows.length)).toList();
                out.accept(new Batch(columns, rows.length, seen[1]++));
              }
            });
    return Math.max(0, Math.min(seen[0], to) - offset);
  }

  /** One worker's rows. */
  private final class Buffer implements BatchConsumer {
    private final List<Batch> batches = new ArrayList<>();
    private final MemoryPool.Reservation reservation =
        context.memory().reservation(tally, "rows to sort");
    private long bytes;
    private long rows;

    @Override
    public void accept(Batch shared) {
      Batch batch = shared.kept();
      batches.add(batch);
      bytes += batch.sizeBytes();
      rows += batch.rowCount();
      if (wanted <= MOST_KEPT && rows > 2 * Math.max(wanted, Batch.TARGET_ROWS)) {
        prune();
      }
      // Room to sort what is here, so that a run can be made of it.
      if (!reservation.tryShare(2 * bytes + ROW_BYTES * rows)) {
        writeRun();
      }
    }

    /** Keeps the rows that may be among those wanted. */
    private void prune() {
      Sorted sorted = sort(batches, context.alone());
      int kept = (int) Math.min(wanted, sorted.rows.length);
      Batch best = batch(sorted, 0, kept).kept();
      count(sorted.rows.length - kept);
      batches.clear();
      batches.add(best);
      bytes = best.sizeBytes();
      rows = kept;
      if (kept == wanted && kept > 0) {
        Column first = best.column(reach.isEmpty() ? 0 : spec.keys().get(0).ordinal());
        reach.ifPresent(r -> r.reaches(first, kept - 1));
      }
    }

    void writeRun() {
      if (rows == 0) {
        return;
      }
      Sorted sorted = sort(batches, context.alone());
      int part = newRun();
      int kept = (int) Math.min(wanted, sorted.rows.length);
      for (int from = 0; from < kept; from += RUN_FRAME_ROWS) {
        context.cancel().check();
        runs.add(part, batch(sorted, from, Math.min(kept, from + RUN_FRAME_ROWS)));
      }
      count(sorted.rows.length);
      batches.clear();
      bytes = rows = 0;
      reservation.resize(0);
    }

    private void count(long rowsNoLongerHere) {
      synchronized (SortSink.this) {
        rowCount += rowsNoLongerHere;
      }
    }

    public void release() {
      batches.clear();
      reservation.close();
    }
  }

  /** Merges runs through a heap of their next rows. */
  private final class Merge {
    private final Exchange from;
    private final int[] part;
    private final int[] nextFrame;
    private final Batch[] frame;
    private final int[] row;
    private final int[] heap;
    private int size;

    Merge(Exchange from, int firstPart, int endPart) {
      this.from = from;
      int n = endPart - firstPart;
      part = new int[n];
      nextFrame = new int[n];
      frame = new Batch[n];
      row = new int[n];
      heap = new int[n];
      for (int i = 0; i < n; i++) {
        part[i] = firstPart + i;
        if (advance(i)) {
          heap[size++] = i;
        }
      }
      for (int i = size / 2 - 1; i >= 0; i--) {
        sink(i);
      }
    }

    private boolean advance(int run) {
      if (frame[run] != null && ++row[run] < frame[run].rowCount()) {
        return true;
      }
      if (nextFrame[run] >= from.frames(part[run])) {
        return false;
      }
      context.cancel().check();
      frame[run] = from.frame(part[run], nextFrame[run]++);
      row[run] = 0;
      return true;
    }

    private boolean less(int a, int b) {
      int c = order.compare(frame[a].columns(), row[a], frame[b].columns(), row[b]);
      if (c == 0) {
        c = frame[a].comparePlace(row[a], frame[b], row[b]);
      }
      return c == 0 ? a < b : c < 0;
    }

    private void sink(int at) {
      int run = heap[at];
      while (2 * at + 1 < size) {
        int child = 2 * at + 1;
        if (child + 1 < size && less(heap[child + 1], heap[child])) {
          child++;
        }
        if (!less(heap[child], run)) {
          break;
        }
        heap[at] = heap[child];
        at = child;
      }
      heap[at] = run;
    }

    /** Gives batches of so many rows, with places, until there are enough. */
    void until(long most, int frameRows, BatchConsumer out) {
      long given = 0;
      while (size > 0 && given < most) {
        ColumnBuilder[] columns = ColumnBuilder.of(spec.schema());
        int[] inputs = new int[frameRows];
        long[] sequences = new long[frameRows];
        int[] rows = new int[frameRows];
        int n = 0;
        while (size > 0 && n < frameRows && given + n < most) {
          int run = heap[0];
          for (int c = 0; c < columns.length; c++) {
            columns[c].append(frame[run].column(c), row[run]);
          }
          Places places = frame[run].places().orElseThrow();
          inputs[n] = places.inputs()[row[run]];
          sequences[n] = places.sequences()[row[run]];
          rows[n++] = places.rows()[row[run]];
          if (!advance(run)) {
            heap[0] = heap[--size];
          }
          if (size > 0) {
            sink(0);
          }
        }
        out.accept(
            new Batch(
                Arrays.stream(columns).map(ColumnBuilder::build).toList(),
                n,
                new Places(
                    Arrays.copyOf(inputs, n),
                    Arrays.copyOf(sequences, n),
                    Arrays.copyOf(rows, n))));
        given += n;
      }
    }
  }
}

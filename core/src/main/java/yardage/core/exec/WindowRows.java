package yardage.core.exec;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import yardage.core.column.*;
import yardage.core.plan.SortKey;

/**
 * Rows in the order of a window, read by their places in it: by partition, and in a partition as
 * the window says. {@link Held} may be read by many threads, {@link Run} by one.
 */
abstract sealed class WindowRows {
  private final List<Type> types;
  private final RowOrder order;
  private final CancelToken cancel;

  private WindowRows(WindowStep step, List<Type> types, CancelToken cancel) {
    this.types = types;
    this.order = new RowOrder(step.order());
    this.cancel = cancel;
  }

  /** Of the columns. */
  final List<Type> types() {
    return types;
  }

  final CancelToken cancel() {
    return cancel;
  }

  abstract long count();

  /** Where the partition that begins at a place ends. */
  abstract long partitionEnd(long from);

  abstract Cursor cursor();

  /** Collects values of a column by the places of their rows. */
  abstract Picker picker(int ordinal);

  /**
   * Some columns of the next rows, side by side.
   *
   * @param ordinals of columns; -1 for none
   * @param out gets as many columns; null for none
   * @return how many rows they have: at least one
   */
  abstract int piece(long from, long to, int[] ordinals, Column[] out);

  /** Where the peers of a row end, not behind {@code to}. */
  final long peersEnd(long from, long to, Cursor one, Cursor other) {
    one.to(from);
    long end = from + 1;
    for (; end < to; end++) {
      other.to(end);
      if (order.compare(one.columns(), one.row(), other.columns(), other.row()) != 0) {
        break;
      }
    }
    return end;
  }

  /** A row that can be looked at, and moved. */
  interface Cursor {
    void to(long place);

    /** The columns in which the row stands. */
    List<Column> columns();

    int row();

    default boolean isNull(int ordinal) {
      return columns().get(ordinal).isNull(row());
    }
  }

  /** Values of rows, one after the other. */
  interface Picker {
    void start(int rows);

    void pick(long place);

    void none();

    Column build();
  }

  /** All rows in memory. */
  static final class Held extends WindowRows {
    /** Partitions are sorted side by side, so many rows at a time at least. */
    private static final int ROWS_AT_A_TIME = 1 << 14;

    /** What this takes for each row. */
    static final long BYTES_A_ROW = 16;

    private final List<Column> columns;
    private final int rows;

    /** Rows by partition, and in it by order. */
    private final int[] sorted;

    /** Where each partition starts in {@link #sorted}, and the end. */
    private final int[] starts;

    Held(List<Column> columns, WindowStep step, ExecutionContext context) {
      super(step, columns.stream().map(Column::type).toList(), context.cancel());
      this.columns = columns;
      this.rows = columns.get(0).size();
      int[] number = new int[rows];
      starts = starts(step.partition(), number);
      sorted = new int[rows];
      int[] at = starts.clone();
      for (int r = 0; r < rows; r++) {
        sorted[at[number[r]]++] = r;
      }
      if (!step.order().isEmpty()) {
        sort(new RowOrder(step.order()), context);
      }
    }

    private int[] starts(int[] partition, int[] number) {
      int count = rows == 0 ? 0 : 1;
      if (partition.length > 0 && rows > 0) {
        Column[] keys = new Column[partition.length];
        Type[] types = new Type[keys.length];
        for (int i = 0; i < keys.length; i++) {
          keys[i] = columns.get(partition[i]);
          types[i] = keys[i].type();
        }
        KeyTable table = new KeyTable(types);
        table.numberOf(keys, rows, number);
        count = table.count();
      }
      int[] out = new int[count + 1];
      for (int n : number) {
        out[n + 1]++;
      }
      for (int p = 0; p < count; p++) {
        out[p + 1] += out[p];
      }
      return out;
    }

    private void sort(RowOrder order, ExecutionContext context) {
      if (starts.length == 2) {
        order.sort(columns, sorted, context);
        return;
      }
      Parallel.forEach(
          portions(),
          context,
          portion -> {
            for (int p = portion.first(); p < portion.end(); p++) {
              int[] part = Arrays.copyOfRange(sorted, starts[p], starts[p + 1]);
              order.sort(columns, part, context.cancel());
              System.arraycopy(part, 0, sorted, starts[p], part.length);
            }
          });
    }

    /**
     * Partitions next to each other that have enough rows together.
     *
     * @param first the first one's number
     */
    record Portion(int first, int end, int from, int to) {}

    List<Portion> portions() {
      List<Portion> portions = new ArrayList<>();
      int first = 0;
      for (int p = 1; p < starts.length; p++) {
        if (p == starts.length - 1 || starts[p] - starts[first] >= ROWS_AT_A_TIME) {
          portions.add(new Portion(first, p, starts[first], starts[p]));
          first = p;
        }
      }
      return portions;
    }

    /** For each row its place in the order. */
    int[] places() {
      int[] out = new int[rows];
      for (int i = 0; i < rows; i++) {
        out[sorted[i]] = i;
      }
      return out;
    }

    @Override
    long count() {
      return rows;
    }

    @Override
    long partitionEnd(long from) {
      int at = Arrays.binarySearch(starts, (int) from);
      return starts[at + 1];
    }

    @Override
    Cursor cursor() {
      return new Cursor() {
        private int row;

        @Override
        public void to(long place) {
          row = sorted[(int) place];
        }

        @Override
        public List<Column> columns() {
          return columns;
        }

        @Override
        public int row() {
          return row;
        }
      };
    }

    @Override
    Picker picker(int ordinal) {
      return new Picker() {
        private int[] picked;
        private int size;

        @Override
        public void start(int rows) {
          picked = new int[rows];
          size = 0;
        }

        @Override
        public void pick(long place) {
          picked[size++] = sorted[(int) place];
        }

        @Override
        public void none() {
          picked[size++] = -1;
        }

        @Override
        public Column build() {
          return columns.get(ordinal).gather(picked, size);
        }
      };
    }

    @Override
    int piece(long from, long to, int[] ordinals, Column[] out) {
      int end = (int) Math.min(to, from + Batch.TARGET_ROWS);
      int[] some = Arrays.copyOfRange(sorted, (int) from, end);
      for (int c = 0; c < ordinals.length; c++) {
        out[c] = ordinals[c] < 0 ? null : columns.get(ordinals[c]).gather(some, some.length);
      }
      return some.length;
    }
  }

  /** Rows that are sorted already, in frames of which a few are in memory. */
  static final class Run extends WindowRows {
    /** Frames that are kept once nobody reads them any more. */
    private static final int FRAMES_KEPT = 8;

    private final Exchange run;
    private final RowOrder partitions;
    private final boolean onePartition;

    /** Where each frame starts, and the end. */
    private final long[] starts;

    /** Those in memory, by ordinal; and of them those that nobody reads, oldest first. */
    private final Map<Integer, Frame> frames = new HashMap<>();

    private final Deque<Frame> idle = new ArrayDeque<>();
    private int cursors;
    private final Cursor one;
    private final Cursor other;

    /** A frame in memory, and how many cursors stand in it. */
    private static final class Frame {
      private final int ordinal;
      private final Batch batch;
      private int readers;

      Frame(int ordinal, Batch batch) {
        this.ordinal = ordinal;
        this.batch = batch;
      }
    }

    /**
     * @param run one part, in the order of the step
     */
    Run(Exchange run, WindowStep step, CancelToken cancel) {
      super(step, run.types(), cancel);
      this.run = run;
      this.partitions =
          new RowOrder(
              Arrays.stream(step.partition()).mapToObj(c -> SortKey.of(c, false)).toList());
      this.onePartition = step.partition().length == 0;
      starts = run.frameStarts(0);
      one = cursor();
      other = cursor();
    }

    /** What rows take in memory at most: frames that are read, and one that is put together. */
    long mostBytes() {
      int frames = starts.length - 1;
      long held = Math.min(frames, FRAMES_KEPT + cursors);
      return (held + 2) * (run.rowBytes(0) / Math.max(1, frames) + 1);
    }

    Batch frame(int ordinal) {
      Frame frame = open(ordinal);
      leave(frame);
      return frame.batch;
    }

    private Frame open(int ordinal) {
      cancel().check();
      Frame frame = frames.computeIfAbsent(ordinal, o -> new Frame(o, run.frame(0, o)));
      if (frame.readers++ == 0) {
        idle.remove(frame);
      }
      return frame;
    }

    private void leave(Frame frame) {
      if (--frame.readers == 0) {
        idle.addLast(frame);
        if (idle.size() > FRAMES_KEPT) {
          frames.remove(idle.removeFirst().ordinal);
        }
      }
    }

    private int frameOf(long place) {
      int at = Arrays.binarySearch(starts, place);
      return at >= 0 ? at : -at - 2;
    }

    @Override
    long count() {
      return starts[starts.length - 1];
    }

    @Override
    long partitionEnd(long from) {
      if (onePartition) {
        return count();
      }
      one.to(from);
      long end = from + 1;
      for (; end < count(); end++) {
        other.to(end);
        if (partitions.compare(one.columns(), one.row(), other.columns(), other.row()) != 0) {
          break;
        }
      }
      return end;
    }

    @Override
    Cursor cursor() {
      cursors++;
      return new Cursor() {
        private Frame frame;
        private long first;
        private long end;
        private int row;

        @Override
        public void to(long place) {
          if (place < first || place >= end) {
            int ordinal = frameOf(place);
            if (frame != null) {
              leave(frame);
            }
            frame = open(ordinal);
            first = starts[ordinal];
            end = starts[ordinal + 1];
          }
          row = (int) (place - first);
        }

        @Override
        public List<Column> columns() {
          return frame.batch.columns();
        }

        @Override
        public int row() {
          return row;
        }
      };
    }

    @Override
    Picker picker(int ordinal) {
      Cursor cursor = cursor();
      Type type = types().get(ordinal);
      return new Picker() {
        private ColumnBuilder values;

        @Override
        public void start(int rows) {
          values = ColumnBuilder.of(type);
        }

        @Override
        public void pick(long place) {
          cursor.to(place);
          values.append(cursor.columns().get(ordinal), cursor.row());
        }

        @Override
        public void none() {
          values.appendNull();
        }

        @Override
        public Column build() {
          return values.build();
        }
      };
    }

    @Override
    int piece(long from, long to, int[] ordinals, Column[] out) {
      int frame = frameOf(from);
      Batch batch = frame(frame);
      int first = (int) (from - starts[frame]);
      int n = (int) (Math.min(to, starts[frame + 1]) - from);
      int[] some = new int[n];
      for (int i = 0; i < n; i++) {
        some[i] = first + i;
      }
      for (int c = 0; c < ordinals.length; c++) {
        out[c] = ordinals[c] < 0 ? null : batch.column(ordinals[c]).gather(some, n);
      }
      return n;
    }
  }
}

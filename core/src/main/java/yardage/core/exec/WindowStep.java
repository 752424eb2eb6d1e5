package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.*;
import yardage.core.plan.SortKey;

/**
 * Window functions (SQL:2016, 4.16): appends a column for each call; rows keep their order. Each
 * call sorts its partitions on its own; running sums and counts go over prefix sums, so that a
 * frame's width does not matter to them.
 */
public record WindowStep(List<Call> calls) implements WholeStep {
  /** A row's partition, its place in it, what is computed for it, and the table of partitions. */
  private static final long BYTES_A_ROW = 32;

  /** Partitions are sorted side by side, so many rows at a time at least. */
  private static final int ROWS_AT_A_TIME = 1 << 14;

  public WindowStep {
    calls = List.copyOf(calls);
  }

  /** The functions. */
  public enum Function {
    ROW_NUMBER,
    RANK,
    DENSE_RANK,
    COUNT,
    SUM,
    AVG,
    MIN,
    MAX,
    FIRST,
    LAST,
    /** The so-manieth row of the frame. */
    NTH,
    /** The row so many before; negative for behind. */
    BEFORE,
    /** The part that a row is in, of so many parts of a partition that are as good as equal. */
    NTILE,
    /** The rank less one, as a share of the other rows. */
    PERCENT_RANK,
    /** The share of rows that come before or are peers. */
    CUME_DIST
  }

  /**
   * One call.
   *
   * @param argument ordinal of its column, -1 for none
   * @param offset how many, for {@link Function#BEFORE}, {@code NTH} and {@code NTILE}
   * @param skipNulls whether {@code FIRST} and {@code LAST} skip nulls
   */
  public record Call(
      Function function,
      int argument,
      int offset,
      boolean skipNulls,
      int[] partition,
      List<SortKey> order,
      Frame frame,
      Type type) {
    /** Whether all rows have the same result, in whatever order they come. */
    public boolean isTotal() {
      boolean adds =
          switch (function) {
            case COUNT, SUM, AVG, MIN, MAX -> true;
            case ROW_NUMBER,
                RANK,
                DENSE_RANK,
                FIRST,
                LAST,
                NTH,
                BEFORE,
                NTILE,
                PERCENT_RANK,
                CUME_DIST ->
                false;
          };
      boolean all =
          frame.from() == Frame.UNBOUNDED_FROM
              && (frame.to() == Frame.UNBOUNDED_TO || frame.peers() && frame.to() == 0);
      return adds && all && partition.length == 0 && order.isEmpty();
    }
  }

  /**
   * Which rows around a row count.
   *
   * @param peers whether bounds at the current row mean all rows that sort alike
   * @param from rows before (negative) or behind; {@link #UNBOUNDED_FROM} for all before
   * @param to as {@code from}; {@link #UNBOUNDED_TO} for all behind
   */
  public record Frame(boolean peers, int from, int to) {
    public static final int UNBOUNDED_FROM = Integer.MIN_VALUE;
    public static final int UNBOUNDED_TO = Integer.MAX_VALUE;
  }

  /** Whether rows need only be told what all of them come to. */
  boolean isTotals() {
    return calls.stream().allMatch(Call::isTotal);
  }

  /** The columns by which all calls are partitioned. */
  @Override
  public int[] apart() {
    return calls.isEmpty()
        ? new int[0]
        : Arrays.stream(calls.get(0).partition())
            .filter(
                c ->
                    calls.stream()
                        .allMatch(x -> Arrays.stream(x.partition()).anyMatch(p -> p == c)))
            .toArray();
  }

  @Override
  public List<Column> apply(List<Column> columns, StepTally tally, ExecutionContext context) {
    List<Column> out = new ArrayList<>(columns);
    int rows = columns.get(0).size();
    try (MemoryPool.Reservation claim = context.memory().reservation(tally, "windows")) {
      long given = 0;
      for (Call call : calls) {
        claim.resize(given + BYTES_A_ROW * rows);
        Column column = new Run(columns, call, context).column();
        given += column.sizeBytes();
        out.add(column);
      }
    }
    return out;
  }

  /** One call over all rows. */
  private static final class Run {
    private final List<Column> columns;
    private final Call call;
    private final RowOrder order;
    private final ExecutionContext context;
    private final CancelToken cancel;
    private final int rows;
    private final Column argument;

    /** Rows by partition, and in it by order. */
    private final int[] sorted;

    /** Where each partition starts in {@link #sorted}, and the end. */
    private final int[] starts;

    private final int[] picked;
    private final long[] longs;
    private final double[] doubles;
    private final WindowSums sums;

    Run(List<Column> columns, Call call, ExecutionContext context) {
      this.columns = columns;
      this.call = call;
      this.context = context;
      this.cancel = context.cancel();
      this.order = new RowOrder(call.order());
      this.rows = columns.get(0).size();
      this.argument = call.argument() < 0 ? null : columns.get(call.argument());
      this.starts = partitions();
      this.sorted = sortedRows();
      boolean sum =
          switch (call.function()) {
            case COUNT, SUM, AVG -> true;
            default -> false;
          };
      boolean picks =
          switch (call.function()) {
            case MIN, MAX, FIRST, LAST, NTH, BEFORE -> true;
            case ROW_NUMBER, RANK, DENSE_RANK, COUNT, SUM, AVG, NTILE, PERCENT_RANK, CUME_DIST ->
                false;
          };
      boolean fraction = call.type().isApproximate();
      sums = sum ? new WindowSums(call.function(), call.type(), argument, rows) : null;
      picked = picks ? new int[rows] : null;
      longs = picks || sum || fraction ? null : new long[rows];
      doubles = fraction && !picks && !sum ? new double[rows] : null;
    }

    private int[] number;

    private int[] partitions() {
      number = new int[rows];
      int count = rows == 0 ? 0 : 1;
      if (call.partition().length > 0 && rows > 0) {
        Column[] keys = new Column[call.partition().length];
        Type[] types = new Type[keys.length];
        for (int i = 0; i < keys.length; i++) {
          keys[i] = columns.get(call.partition()[i]);
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

    private int[] sortedRows() {
      int[] at = starts.clone();
      int[] out = new int[rows];
      for (int r = 0; r < rows; r++) {
        out[at[number[r]]++] = r;
      }
      if (!call.order().isEmpty()) {
        Parallel.forEach(
            portions(),
            context,
            portion -> {
              for (int p = portion[0]; p < portion[1]; p++) {
                int[] part = Arrays.copyOfRange(out, starts[p], starts[p + 1]);
                order.sort(columns, part, cancel);
                System.arraycopy(part, 0, out, starts[p], part.length);
              }
            });
      }
      return out;
    }

    /** Partitions next to each other that have enough rows together. */
    private List<int[]> portions() {
      List<int[]> portions = new ArrayList<>();
      int from = 0;
      for (int p = 1; p < starts.length; p++) {
        if (p == starts.length - 1 || starts[p] - starts[from] >= ROWS_AT_A_TIME) {
          portions.add(new int[] {from, p});
          from = p;
        }
      }
      return portions;
    }

    Column column() {
      for (int p = 0; p + 1 < starts.length; p++) {
        cancel.check();
        partition(starts[p], starts[p + 1]);
      }
      if (picked != null) {
        return argument.gather(picked, rows);
      }
      if (sums != null) {
        return sums.build();
      }
      if (doubles != null) {
        return new DoubleColumn(doubles, null, rows);
      }
      if (call.type().kind() == Type.Kind.INT) {
        int[] ints = new int[rows];
        for (int r = 0; r < rows; r++) {
          ints[r] = Math.toIntExact(longs[r]);
        }
        return new IntColumn(Type.INT, ints, null, rows);
      }
      return new LongColumn(call.type(), longs, null, rows);
    }

    private boolean peers(int a, int b) {
      return order.compare(columns, sorted[a], columns, sorted[b]) == 0;
    }

    private void partition(int from, int to) {
      switch (call.function()) {
        case ROW_NUMBER, RANK, DENSE_RANK -> ranks(from, to);
        case PERCENT_RANK, CUME_DIST -> shares(from, to);
        case NTILE -> {
          long rows = to - from;
          long parts = call.offset();
          for (int i = from; i < to; i++) {
            // The first parts have one row more where the rows cannot be shared out.
            long large = rows % parts * (rows / parts + 1);
            long at = i - from;
            longs[sorted[i]] =
                at < large
                    ? at / (rows / parts + 1) + 1
                    : rows % parts + (at - large) / (rows / parts) + 1;
          }
        }
        case BEFORE -> {
          for (int i = from; i < to; i++) {
            long wanted = (long) i - call.offset();
            picked[sorted[i]] = wanted >= from && wanted < to ? sorted[(int) wanted] : -1;
          }
        }
        default -> framed(from, to);
      }
    }

    private void ranks(int from, int to) {
      long rank = 0;
      long dense = 0;
      for (int i = from; i < to; i++) {
        if (i == from || !peers(i - 1, i)) {
          rank = i - from + 1;
          dense++;
        }
        longs[sorted[i]] =
            switch (call.function()) {
              case ROW_NUMBER -> i - from + 1;
              case RANK -> rank;
              default -> dense;
            };
      }
    }

    private void shares(int from, int to) {
      int rows = to - from;
      for (int first = from; first < to; ) {
        int end = first + 1;
        while (end < to && peers(first, end)) {
          end++;
        }
        double share =
            call.function() == Function.CUME_DIST
                ? (double) (end - from) / rows
                : rows == 1 ? 0 : (double) (first - from) / (rows - 1);
        for (int i = first; i < end; i++) {
          doubles[sorted[i]] = share;
        }
        first = end;
      }
    }

    private void framed(int from, int to) {
      if (sums != null) {
        sums.begin(sorted, from, to);
      }
      int firstPeer = from;
      int endPeer = from;
      int best = -1;
      int bestFrom = -1;
      int bestTo = -1;
      for (int i = from; i < to; i++) {
        if (i >= endPeer) {
          firstPeer = i;
          endPeer = i + 1;
          while (endPeer < to && peers(i, endPeer)) {
            endPeer++;
          }
        }
        Frame f = call.frame();
        int a =
            f.from() == Frame.UNBOUNDED_FROM
                ? from
                : f.peers() ? firstPeer : (int) Math.max(from, Math.min(to, (long) i + f.from()));
        int b =
            f.to() == Frame.UNBOUNDED_TO
                ? to
                : f.peers() ? endPeer : (int) Math.max(from, Math.min(to, (long) i + f.to() + 1));
        if (sums != null) {
          sums.give(sorted[i], a, Math.max(a, b));
        } else if (call.function() == Function.NTH) {
          long at = (long) a + call.offset() - 1;
          picked[sorted[i]] = at < b ? sorted[(int) at] : -1;
        } else {
          if (a != bestFrom || b < bestTo) {
            best = -1;
            bestTo = a;
          }
          // A frame that only grew is looked at where it grew.
          for (int j = bestTo; j < b; j++) {
            best = better(best, sorted[j]);
          }
          bestFrom = a;
          bestTo = Math.max(a, b);
          picked[sorted[i]] = b <= a ? -1 : best;
        }
      }
    }

    private int better(int best, int row) {
      boolean isNull = argument.isNull(row);
      switch (call.function()) {
        case FIRST:
          return best >= 0 || (call.skipNulls() && isNull) ? best : row;
        case LAST:
          return call.skipNulls() && isNull ? best : row;
        default:
          if (isNull) {
            return best;
          }
          if (best < 0) {
            return row;
          }
          int c = Values.compare(argument, row, argument, best);
          return (call.function() == Function.MIN ? c < 0 : c > 0) ? row : best;
      }
    }
  }
}

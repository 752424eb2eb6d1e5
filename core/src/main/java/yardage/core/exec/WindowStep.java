package yardage.core.exec;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import yardage.core.column.Type;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.SortKey;
import yardage.core.plan.WholeDescription;

/**
 * Window functions (SQL:2016, 4.16 and 7.15) over one window: appends a column for each call.
 *
 * @param partition ordinals of the columns whose values make a partition; none when all rows are
 *     one
 * @param order of the rows in a partition; those that it does not tell apart are peers, and stay in
 *     the order of the input
 */
public record WindowStep(int[] partition, List<SortKey> order, List<Call> calls)
    implements WholeDescription {
  public WindowStep {
    order = List.copyOf(order);
    calls = List.copyOf(calls);
  }

  /** What is found for a row; a closed set. */
  public sealed interface Call {
    Type type();

    /** What computes it over some rows. */
    WindowFunction function(WindowRows rows, WindowStep step, WindowMemory memory);
  }

  /** What only a row's place in its partition matters to. */
  public enum Ranking {
    ROW_NUMBER(Type.BIGINT),
    RANK(Type.BIGINT),
    DENSE_RANK(Type.BIGINT),
    /** The part that a row is in, of so many parts of a partition that are as good as equal. */
    NTILE(Type.BIGINT),
    /** The rank less one, as a share of the other rows. */
    PERCENT_RANK(Type.DOUBLE),
    /** The share of rows that come before or are peers. */
    CUME_DIST(Type.DOUBLE);

    private final Type type;

    Ranking(Type type) {
      this.type = type;
    }
  }

  /**
   * A row's place in its partition.
   *
   * @param parts for {@link Ranking#NTILE}
   */
  public record Rank(Ranking ranking, int parts) implements Call {
    @Override
    public Type type() {
      return ranking.type;
    }

    @Override
    public WindowFunction function(WindowRows rows, WindowStep step, WindowMemory memory) {
      return new WindowRanks(this);
    }
  }

  /**
   * The value of the row so many before; negative for behind.
   *
   * @param argument ordinal of the column
   * @param skipNulls whether only rows that have a value count
   */
  public record Before(int argument, int rows, boolean skipNulls, Type type) implements Call {
    @Override
    public WindowFunction function(WindowRows rows, WindowStep step, WindowMemory memory) {
      return new WindowPicks.OfBefore(this, rows, memory);
    }
  }

  /**
   * The value of the so-manieth row of the frame.
   *
   * @param at from 1, or from the end: -1 for the last row
   */
  public record Nth(int argument, int at, boolean skipNulls, Frame frame, Type type)
      implements Call {
    @Override
    public WindowFunction function(WindowRows rows, WindowStep step, WindowMemory memory) {
      return new WindowPicks.Counted(this, rows, new WindowFrames(frame, rows, step), memory);
    }
  }

  /** An aggregate over the frame. */
  public record Total(AggregateCall call, Frame frame) implements Call {
    @Override
    public Type type() {
      return call.type();
    }

    @Override
    public WindowFunction function(WindowRows rows, WindowStep step, WindowMemory memory) {
      WindowFrames frames = new WindowFrames(frame, rows, step);
      return switch (call.function().family()) {
        case COUNT, SUM, AVG ->
            call.distinct()
                ? new WindowSums.OfDistinct(call, rows, frames, memory)
                : new WindowSums.OfAll(call, rows, frames);
        case EXTREME -> new WindowPicks.OfExtreme(call, rows, frames, memory);
        case SINGLE, MOMENTS, PAIRS, FOREMOST, COMMONEST, RANKED, JOINED, PERCENTILE, LIST ->
            new WindowTotals(call, rows, frames, memory);
      };
    }
  }

  /**
   * Which rows around a row count: those from one edge to the other.
   *
   * @param groups whether edges count groups of peers, not rows
   */
  public record Frame(boolean groups, Edge from, Edge to) {
    /** All rows of the partition. */
    public static final Frame WHOLE = new Frame(false, Edge.START, Edge.END);

    boolean isWhole() {
      return from.equals(Edge.START) && to.equals(Edge.END);
    }

    /** Whether each frame begins where the partition does. */
    boolean grows() {
      return from.equals(Edge.START);
    }
  }

  /** Where a frame begins or ends; a closed set. */
  public sealed interface Edge {
    Edge START = new Far(true);
    Edge END = new Far(false);
    Edge HERE = new Steps(0);
  }

  /** The first or the last row of the partition. */
  public record Far(boolean first) implements Edge {}

  /** So many rows, or groups of peers, behind; negative for before. */
  public record Steps(long by) implements Edge {}

  /**
   * By values: from the first row whose key is no less than the bound that this row has, or up to
   * the last row whose key is no greater.
   *
   * @param key ordinal of the only sort key
   * @param bound ordinal of a column of the same type; null where the key is
   */
  public record Reach(int key, int bound) implements Edge {}

  /** Whether rows need only be told what all of them come to. */
  public boolean isTotals() {
    return partition.length == 0
        && calls.stream()
            .allMatch(
                c ->
                    c instanceof Total t
                        && (t.frame().isWhole() || order.isEmpty() && isOfPeers(t.frame())));
  }

  private static boolean isOfPeers(Frame frame) {
    return frame.groups()
        && (frame.from().equals(Edge.START) || frame.from().equals(Edge.HERE))
        && (frame.to().equals(Edge.END) || frame.to().equals(Edge.HERE));
  }

  /** The order of all rows: by partition, and in it. */
  List<SortKey> wholeOrder() {
    List<SortKey> out = new ArrayList<>();
    Arrays.stream(partition).forEach(c -> out.add(SortKey.of(c, false)));
    out.addAll(order);
    return out;
  }
}

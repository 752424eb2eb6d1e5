package yardage.core.exec;

import yardage.core.column.Column;
import yardage.core.column.Values;
import yardage.core.plan.AggregateCall;
import yardage.core.plan.AggregateFunction;

/** Calls that give the value of one of the rows: which, is found by places alone where it can. */
final class WindowPicks {
  private WindowPicks() {}

  /** The value of a row so many before or behind. */
  static final class OfBefore extends WindowFunction {
    private final WindowStep.Before call;
    private final WindowRows.Picker picker;
    private final WindowRows.Cursor cursor;

    /** Where values are skipped that are null: the nearest rows with a value, on that side. */
    private final PlaceQueue near;

    private long seen;
    private long partitionFrom;
    private long partitionTo;

    OfBefore(WindowStep.Before call, WindowRows rows, WindowMemory memory) {
      this.call = call;
      picker = rows.picker(call.argument());
      cursor = rows.cursor();
      near = new PlaceQueue(memory);
    }

    @Override
    void start(int rows) {
      picker.start(rows);
    }

    @Override
    void partition(long from, long to) {
      partitionFrom = from;
      partitionTo = to;
      seen = from;
      near.clear();
    }

    @Override
    void give(WindowBlock block, int from, int to) {
      boolean skips = call.skipNulls() && call.rows() != 0;
      for (int r = from; r < to; r++) {
        long here = block.place(r);
        long wanted = !skips ? here - call.rows() : call.rows() > 0 ? before(here) : behind(here);
        if (wanted >= partitionFrom && wanted < partitionTo) {
          picker.pick(wanted);
        } else {
          picker.none();
        }
      }
    }

    /** Notes rows that have a value. */
    private void see() {
      cursor.to(seen);
      if (!cursor.isNull(call.argument())) {
        near.add(seen);
      }
      seen++;
    }

    private long before(long here) {
      while (seen < here) {
        see();
      }
      int there = near.size() - call.rows();
      if (there > 0) {
        near.removeBefore(near.get(there));
        there = 0;
      }
      return there < 0 ? -1 : near.get(there);
    }

    private long behind(long here) {
      near.removeBefore(here + 1);
      seen = Math.max(seen, here + 1);
      while (near.size() < -call.rows() && seen < partitionTo) {
        see();
      }
      return near.size() < -call.rows() ? -1 : near.get(-call.rows() - 1);
    }

    @Override
    Column end() {
      return picker.build();
    }
  }

  /** The value of one row of the frame. */
  abstract static sealed class OfFrame extends WindowFunction permits Counted, OfExtreme {
    private final WindowFrames frames;
    private final WindowRows.Picker picker;

    private OfFrame(WindowRows rows, WindowFrames frames, int argument) {
      this.frames = frames;
      picker = rows.picker(argument);
    }

    @Override
    final void start(int rows) {
      picker.start(rows);
    }

    @Override
    final void partition(long from, long to) {
      frames.partition(from, to);
      begin(from);
    }

    @Override
    final void give(WindowBlock block, int from, int to) {
      for (int r = from; r < to; r++) {
        frames.find(block, r);
        long picked = place(frames.from(), frames.to());
        if (picked < 0) {
          picker.none();
        } else {
          picker.pick(picked);
        }
      }
    }

    @Override
    final Column end() {
      return picker.build();
    }

    /** Begins a partition. */
    abstract void begin(long from);

    /** The row of a frame; negative for none. Neither edge is before one that was asked for. */
    abstract long place(long from, long to);
  }

  /** A row counted from either end of the frame. */
  static final class Counted extends OfFrame {
    private final WindowStep.Nth call;
    private final WindowRows.Cursor cursor;

    /** Where values are skipped that are null: the rows of the frame that have one. */
    private final PlaceQueue there;

    private long seen;

    Counted(WindowStep.Nth call, WindowRows rows, WindowFrames frames, WindowMemory memory) {
      super(rows, frames, call.argument());
      this.call = call;
      cursor = rows.cursor();
      there = new PlaceQueue(memory);
    }

    @Override
    void begin(long from) {
      seen = from;
      there.clear();
    }

    @Override
    long place(long from, long to) {
      if (call.skipNulls()) {
        return withValue(from, to);
      }
      long at = call.at() > 0 ? from + call.at() - 1 : to + call.at();
      return at >= from && at < to ? at : -1;
    }

    private long withValue(long from, long to) {
      there.removeBefore(from);
      seen = Math.max(seen, from);
      int few = Math.abs(call.at());
      // Counted from the front, no more rows need be known than that.
      while (seen < to && !(call.at() > 0 && there.size() >= few)) {
        cursor.to(seen);
        if (!cursor.isNull(call.argument())) {
          there.add(seen);
          if (call.at() < 0 && there.size() > few) {
            // Frames only go on: what lies before is the last of no frame any more.
            there.removeBefore(there.get(1));
          }
        }
        seen++;
      }
      int at = call.at() > 0 ? call.at() - 1 : there.size() + call.at();
      return at >= 0 && at < there.size() ? there.get(at) : -1;
    }
  }

  /**
   * The least or the greatest value of the frame. Only rows that may become it are kept, each less
   * than those behind it, so that a row comes and goes once however wide frames are.
   */
  static final class OfExtreme extends OfFrame {
    private final int argument;
    private final boolean least;
    private final WindowRows.Cursor one;
    private final WindowRows.Cursor other;
    private final PlaceQueue candidates;
    private long seen;

    OfExtreme(AggregateCall call, WindowRows rows, WindowFrames frames, WindowMemory memory) {
      super(rows, frames, call.argument());
      this.argument = call.argument();
      this.least = call.function() == AggregateFunction.MIN;
      one = rows.cursor();
      other = rows.cursor();
      candidates = new PlaceQueue(memory);
    }

    @Override
    void begin(long from) {
      seen = from;
      candidates.clear();
    }

    @Override
    long place(long from, long to) {
      candidates.removeBefore(from);
      for (seen = Math.max(seen, from); seen < to; seen++) {
        see();
      }
      return candidates.size() == 0 ? -1 : candidates.get(0);
    }

    private void see() {
      one.to(seen);
      if (one.isNull(argument)) {
        return;
      }
      Column values = one.columns().get(argument);
      while (candidates.size() > 0) {
        other.to(candidates.last());
        int c = Values.compare(other.columns().get(argument), other.row(), values, one.row());
        if (least ? c < 0 : c > 0) {
          break;
        }
        candidates.removeLast();
      }
      candidates.add(seen);
    }
  }
}

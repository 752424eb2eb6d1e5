package yardage.core.exec;

import yardage.core.column.Column;
import yardage.core.column.Values;
import yardage.core.plan.SortKey;

/**
 * Which rows count for each row: those from {@link #from} to before {@link #to}. Both only grow
 * within a partition, so that finding them takes as many steps as there are rows, however wide
 * frames are.
 */
final class WindowFrames {
  private final WindowStep.Frame frame;
  private final Walker first;
  private final Walker last;
  private long partitionFrom;
  private long partitionTo;
  private long from;
  private long to;

  WindowFrames(WindowStep.Frame frame, WindowRows rows, WindowStep step) {
    this.frame = frame;
    first = walker(frame.from(), true, rows, step);
    last = walker(frame.to(), false, rows, step);
  }

  private Walker walker(WindowStep.Edge edge, boolean begins, WindowRows rows, WindowStep step) {
    if (edge instanceof WindowStep.Far far) {
      return (block, row) -> far.first() ? partitionFrom : partitionTo;
    } else if (edge instanceof WindowStep.Reach reach) {
      return new ByValue(reach, begins, rows, step.order().get(0));
    }
    long by = ((WindowStep.Steps) edge).by();
    if (!frame.groups()) {
      return (block, row) -> within(block.place(row) + by + (begins ? 0 : 1));
    }
    return by == 0
        ? (block, row) -> begins ? block.firstPeer(row) : block.endPeer(row)
        : new ByGroup(by, begins, rows);
  }

  private long within(long place) {
    return Math.max(partitionFrom, Math.min(partitionTo, place));
  }

  void partition(long from, long to) {
    partitionFrom = from;
    partitionTo = to;
    first.partition();
    last.partition();
  }

  boolean isWhole() {
    return frame.isWhole();
  }

  /** Finds the frame of a row; rows are asked for one after the other. */
  void find(WindowBlock block, int row) {
    from = first.find(block, row);
    to = Math.max(from, last.find(block, row));
  }

  long from() {
    return from;
  }

  long to() {
    return to;
  }

  /** Finds one of the edges. */
  private interface Walker {
    long find(WindowBlock block, int row);

    default void partition() {}
  }

  /** So many groups of peers before or behind. */
  private final class ByGroup implements Walker {
    private final long by;
    private final boolean begins;
    private final WindowRows rows;
    private final WindowRows.Cursor one;
    private final WindowRows.Cursor other;

    /** The number of the row's group, and where it begins. */
    private long here;

    private long hereFrom;

    /** The number of the group that is looked at, and where it begins and ends. */
    private long number;

    private long start;
    private long end;

    ByGroup(long by, boolean begins, WindowRows rows) {
      this.by = by;
      this.begins = begins;
      this.rows = rows;
      one = rows.cursor();
      other = rows.cursor();
    }

    @Override
    public void partition() {
      here = -1;
      hereFrom = -1;
      number = -1;
      start = partitionFrom;
      end = partitionFrom;
    }

    @Override
    public long find(WindowBlock block, int row) {
      if (block.firstPeer(row) != hereFrom) {
        hereFrom = block.firstPeer(row);
        here++;
      }
      long wanted = here + by;
      if (wanted < 0) {
        return partitionFrom;
      }
      while (number < wanted && end < partitionTo) {
        number++;
        start = end;
        end = rows.peersEnd(start, partitionTo, one, other);
      }
      return number < wanted ? partitionTo : begins ? start : end;
    }
  }

  /** By the value of the key. Where the key is null, its peers count. */
  private final class ByValue implements Walker {
    private final WindowStep.Reach reach;
    private final boolean begins;
    private final SortKey key;
    private final WindowRows.Cursor here;
    private final WindowRows.Cursor there;
    private long edge;

    ByValue(WindowStep.Reach reach, boolean begins, WindowRows rows, SortKey key) {
      this.reach = reach;
      this.begins = begins;
      this.key = key;
      here = rows.cursor();
      there = rows.cursor();
    }

    @Override
    public void partition() {
      edge = partitionFrom;
    }

    @Override
    public long find(WindowBlock block, int row) {
      here.to(block.place(row));
      for (; edge < partitionTo; edge++) {
        there.to(edge);
        int c = compare();
        if (begins ? c >= 0 : c > 0) {
          break;
        }
      }
      return edge;
    }

    /** How the row that is looked at stands to the bound, in the order of the window. */
    private int compare() {
      Column keys = there.columns().get(reach.key());
      Column bounds = here.columns().get(reach.bound());
      boolean noKey = keys.isNull(there.row());
      boolean noBound = bounds.isNull(here.row());
      if (noKey || noBound) {
        return noKey == noBound ? 0 : noKey == key.nullsFirst() ? -1 : 1;
      }
      int c = Values.compare(keys, there.row(), bounds, here.row());
      return key.descending() ? -c : c;
    }
  }
}

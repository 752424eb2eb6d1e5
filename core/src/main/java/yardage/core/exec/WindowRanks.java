package yardage.core.exec;

import yardage.core.column.Column;
import yardage.core.column.DoubleColumn;
import yardage.core.column.LongColumn;
import yardage.core.column.Type;

/** Functions of a row's place in its partition (SQL:2016, 6.10). */
final class WindowRanks extends WindowFunction {
  private final WindowStep.Rank call;
  private long partitionFrom;
  private long partitionTo;
  private long dense;
  private long peersFrom;
  private long[] longs;
  private double[] doubles;

  WindowRanks(WindowStep.Rank call) {
    this.call = call;
  }

  @Override
  void start(int rows) {
    boolean share = call.type().isApproximate();
    longs = share ? null : new long[rows];
    doubles = share ? new double[rows] : null;
  }

  @Override
  void partition(long from, long to) {
    partitionFrom = from;
    partitionTo = to;
    dense = 0;
    peersFrom = -1;
  }

  @Override
  void give(WindowBlock block, int from, int to) {
    for (int r = from; r < to; r++) {
      long at = block.place(r) - partitionFrom;
      long before = block.firstPeer(r) - partitionFrom;
      switch (call.ranking()) {
        case ROW_NUMBER -> longs[r] = at + 1;
        case RANK -> longs[r] = before + 1;
        case DENSE_RANK -> {
          dense += block.firstPeer(r) == peersFrom ? 0 : 1;
          peersFrom = block.firstPeer(r);
          longs[r] = dense;
        }
        case NTILE -> longs[r] = part(at);
        case PERCENT_RANK -> doubles[r] = count() == 1 ? 0 : (double) before / (count() - 1);
        case CUME_DIST -> doubles[r] = (double) (block.endPeer(r) - partitionFrom) / count();
      }
    }
  }

  private long count() {
    return partitionTo - partitionFrom;
  }

  /** The first parts have one row more where the rows cannot be shared out. */
  private long part(long at) {
    long parts = call.parts();
    long each = count() / parts;
    long more = count() % parts;
    long large = more * (each + 1);
    return at < large ? at / (each + 1) + 1 : more + (at - large) / each + 1;
  }

  @Override
  Column end() {
    if (doubles != null) {
      return new DoubleColumn(doubles, null, doubles.length);
    }
    return new LongColumn(Type.BIGINT, longs, null, longs.length);
  }
}

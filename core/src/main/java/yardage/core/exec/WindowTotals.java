package yardage.core.exec;

import java.util.Arrays;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Type;
import yardage.core.plan.AggregateCall;

/**
 * Any aggregate over frames. Moments grow with their frame; any other, and where a frame loses
 * rows, is begun anew, which takes as many steps as the frame has rows. A frame that stays as it
 * is, such as the whole partition, is computed once.
 */
final class WindowTotals extends WindowFunction {
  private final AggregateCall call;
  private final WindowRows rows;
  private final WindowFrames frames;
  private final WindowMemory memory;

  /** The argument, and the columns to order by or to pair with. */
  private final int[] ordinals;

  private final Type[] types;
  private final CancelToken cancel;
  private Accumulator total;
  private long totalBytes;
  private long from;
  private long to;

  /** The value of the frame from {@link #from} to {@link #to}; none yet when null. */
  private Column value;

  /** Whether a total can grow once its value was asked for; others hand over what they hold. */
  private final boolean grows;

  private ColumnBuilder values;

  WindowTotals(AggregateCall call, WindowRows rows, WindowFrames frames, WindowMemory memory) {
    this.call = call;
    this.rows = rows;
    this.frames = frames;
    this.memory = memory;
    this.cancel = rows.cancel();
    grows =
        !call.distinct()
            && switch (call.function().family()) {
              case MOMENTS, PAIRS -> true;
              case COUNT,
                  SUM,
                  AVG,
                  EXTREME,
                  SINGLE,
                  FOREMOST,
                  COMMONEST,
                  RANKED,
                  JOINED,
                  PERCENTILE,
                  LIST ->
                  false;
            };
    ordinals = new int[1 + call.order().size()];
    types = new Type[ordinals.length];
    for (int i = 0; i < ordinals.length; i++) {
      ordinals[i] = i == 0 ? call.argument() : call.order().get(i - 1).ordinal();
      types[i] = rows.types().get(ordinals[i]);
    }
  }

  @Override
  void start(int count) {
    values = ColumnBuilder.of(call.type());
  }

  @Override
  void partition(long first, long end) {
    frames.partition(first, end);
    begin(first);
  }

  private void begin(long at) {
    from = at;
    to = at;
    total = Accumulator.of(call, cancel, types);
    total.ensure(1);
    value = null;
    memory.add(-totalBytes);
    totalBytes = 0;
  }

  @Override
  void give(WindowBlock block, int first, int end) {
    for (int r = first; r < end; r++) {
      frames.find(block, r);
      if (frames.from() != from || frames.to() > to && value != null && !grows) {
        begin(frames.from());
      }
      if (frames.to() > to) {
        add(frames.to());
        value = null;
      }
      if (value == null) {
        cancel.check();
        value = total.build(1);
      }
      values.append(value, 0);
    }
  }

  private void add(long end) {
    Column[] columns = new Column[ordinals.length];
    while (to < end) {
      cancel.check();
      int n = rows.piece(to, end, ordinals, columns);
      // It is held beside what it is copied from, and grows by half at most.
      long most =
          total.sizeBytes() * 3 / 2 + 2 * Arrays.stream(columns).mapToLong(Column::sizeBytes).sum();
      memory.add(most - totalBytes);
      totalBytes = most;
      total.addOrdered(new int[n], n, columns);
      to += n;
    }
  }

  @Override
  Column end() {
    return values.build();
  }
}

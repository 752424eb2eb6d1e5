package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.column.*;
import yardage.core.plan.ColumnCondition;
import yardage.core.plan.FirstInOrder;
import yardage.core.plan.FirstValues;
import yardage.core.plan.HeldKeys;
import yardage.core.plan.KeyBits;
import yardage.core.plan.KeyRange;
import yardage.core.plan.RowCondition;
import yardage.core.plan.Sought;

/**
 * What is sought of the rows of a scan, now that the joins which have to be over are: files and row
 * groups without such rows need not be read, nor the other columns of rows that do not count.
 */
final class RowConditions {
  /** A megabyte for the keys of a join. */
  private static final int MOST_BITS = 1 << 23;

  private RowConditions() {}

  /**
   * @param earlier the stages that are over
   * @param sink that the rows go to
   */
  static List<RowCondition> of(List<Sought> sought, Map<Integer, Holding> earlier, Sink sink) {
    List<RowCondition> out = new ArrayList<>();
    for (Sought s : sought) {
      if (s instanceof ColumnCondition condition) {
        out.add(condition);
      } else if (s instanceof HeldKeys keys) {
        ((JoinSink) earlier.get(keys.stage()))
            .keyRange(keys.key())
            .map(r -> r.at(keys.column()).once(keys.once()))
            .ifPresent(out::add);
      } else if (s instanceof FirstInOrder first && sink instanceof SortSink sorted) {
        sorted.reach().map(r -> new FirstValues(first.column(), r)).ifPresent(out::add);
      }
    }
    return out;
  }

  /** The values of a join's key; of a column whose place is not known yet. */
  static Optional<KeyRange> range(Column keys) {
    boolean isInt = keys.type().held() == Type.Held.INTS;
    boolean isLong =
        keys.type().held() == Type.Held.LONGS && keys.type().kind() != Type.Kind.DECIMAL;
    return isInt || isLong ? Bounds.of(keys).map(b -> range(keys, b, isInt)) : Optional.empty();
  }

  private static KeyRange range(Column keys, Bounds b, boolean isInt) {
    // More apart than a long can say is negative here.
    long apart = b.largest() - b.smallest();
    Optional<KeyBits> which =
        !b.isNone() && apart >= 0 && apart < MOST_BITS
            ? Optional.of(KeyBits.of(keys, b.smallest(), (int) apart + 1))
            : Optional.empty();
    return isInt
        ? new KeyRange(0, (int) b.smallest(), (int) b.largest(), false, which)
        : new KeyRange(0, b.smallest(), b.largest(), false, which);
  }
}

package yardage.core.exec;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.IntStream;
import yardage.core.column.*;
import yardage.core.expr.Expression;
import yardage.core.plan.ColumnCondition;
import yardage.core.plan.KeyBits;
import yardage.core.plan.KeyRange;
import yardage.core.plan.Operation;
import yardage.core.plan.RowCondition;
import yardage.core.plan.Stage;

/**
 * What the joins of a chain know of the rows that it reads: a row whose key lies outside of what
 * the other side has comes to nothing, so files and row groups without such keys need not be read,
 * nor the other columns of rows without them. Only where the planner says that nobody counts those
 * rows.
 */
final class RowConditions implements Operation.Visitor<Boolean> {
  /** A megabyte for the keys of a join. */
  private static final int MOST_BITS = 1 << 23;

  private final Map<Integer, Holding> earlier;
  private final List<RowCondition> found = new ArrayList<>();

  /** For each column of the rows on their way the scan's column that it is; -1 for others. */
  private int[] origin = new int[0];

  /** Until something stands in between, columns are the scan's. */
  private boolean straight = true;

  private RowConditions(Map<Integer, Holding> earlier) {
    this.earlier = earlier;
  }

  static List<RowCondition> of(Stage.Chain chain, Map<Integer, Holding> earlier) {
    RowConditions all = new RowConditions(earlier);
    for (Operation operation : chain.operations()) {
      if (!operation.accept(all)) {
        break;
      }
    }
    return all.found;
  }

  private int origin(int column) {
    return straight ? column : column < origin.length ? origin[column] : -1;
  }

  @Override
  public Boolean filter(Operation.Filter filter) {
    for (ColumnCondition c : filter.single()) {
      int column = origin(c.column());
      if (column >= 0) {
        found.add(new ColumnCondition(column, c.condition()));
      }
    }
    return true;
  }

  @Override
  public Boolean project(Operation.Project project) {
    int[] out =
        project.expressions().stream()
            .mapToInt(e -> e instanceof Expression.Input in ? origin(in.ordinal()) : -1)
            .toArray();
    origin = out;
    straight = false;
    return true;
  }

  @Override
  public Boolean border(Operation.Border border) {
    return true;
  }

  @Override
  public Boolean apply(Operation.Apply apply) {
    return false;
  }

  @Override
  public Boolean probe(Operation.Probe probe) {
    JoinSink join = (JoinSink) earlier.get(probe.stage());
    int width = join.spec().left().size();
    if (join.spec().prunes()) {
      for (int k = 0; k < join.spec().leftKeys().length; k++) {
        int column = origin(join.spec().leftKeys()[k]);
        if (column >= 0) {
          join.keyColumn(k).flatMap(c -> range(column, c)).ifPresent(found::add);
        }
      }
    }
    // The right columns stand behind, and are not the scan's. Where right rows without a match come
    // out, a left row that is left out would make one of those.
    origin =
        join.spec().kind().keepsRight()
            ? new int[0]
            : IntStream.range(0, width).map(this::origin).toArray();
    straight = false;
    return true;
  }

  private static Optional<KeyRange> range(int column, Column keys) {
    boolean isInt = keys.type().held() == Type.Held.INTS;
    boolean isLong =
        keys.type().held() == Type.Held.LONGS && keys.type().kind() != Type.Kind.DECIMAL;
    return isInt || isLong
        ? Bounds.of(keys).map(b -> range(column, keys, b, isInt))
        : Optional.empty();
  }

  private static KeyRange range(int column, Column keys, Bounds b, boolean isInt) {
    // More apart than a long can say is negative here.
    long apart = b.largest() - b.smallest();
    Optional<KeyBits> which =
        b.smallest() <= b.largest() && apart >= 0 && apart < MOST_BITS
            ? Optional.of(KeyBits.of(keys, b.smallest(), (int) apart + 1))
            : Optional.empty();
    return isInt
        ? new KeyRange(column, (int) b.smallest(), (int) b.largest(), which)
        : new KeyRange(column, b.smallest(), b.largest(), which);
  }
}

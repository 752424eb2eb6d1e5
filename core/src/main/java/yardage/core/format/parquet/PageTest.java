package yardage.core.format.parquet;

import java.util.Arrays;
import java.util.Optional;
import java.util.stream.LongStream;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.LongColumn;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.column.Values;
import yardage.core.expr.Literal;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.FirstReach;
import yardage.core.plan.KeyRange;

/** Whether values of which bounds are known may meet a condition. Thread-safe. */
public abstract sealed class PageTest {
  /** So many values are looked for in a Bloom filter: each is found by mistake now and then. */
  private static final int MOST_SOUGHT = 16;

  /**
   * Whether one of the values may.
   *
   * @param of an entry of the bounds whose values are known, and not all null
   */
  abstract boolean mayMeet(PageBounds bounds, int of);

  /** Whether nulls do. */
  boolean takesNulls() {
    return false;
  }

  /** The only values that do, where they are few. */
  Optional<Column> sought() {
    return Optional.empty();
  }

  static PageTest of(ColumnPredicate predicate, Type type) {
    if (predicate instanceof ColumnPredicate.Compared c) {
      return new Compared(c.op(), c.value().column(1));
    } else if (predicate instanceof ColumnPredicate.OneOf in) {
      ColumnBuilder values = ColumnBuilder.of(type);
      in.values().forEach(v -> values.append(v.column(1), 0));
      return new OneOf(values.build());
    } else if (predicate instanceof ColumnPredicate.Beginning b) {
      return new Beginning((TextColumn) b.text().column(1));
    }
    return new Null(((ColumnPredicate.Null) predicate).isNull());
  }

  static PageTest of(KeyRange range, Type type) {
    return new Keys(
        range,
        Literal.of(type, range.smallest()).column(1),
        Literal.of(type, range.largest()).column(1));
  }

  static PageTest of(FirstReach reach) {
    return new First(reach);
  }

  /** The first rows of an order, as far as they are known to reach when it is asked. */
  private static final class First extends PageTest {
    private final FirstReach reach;

    First(FirstReach reach) {
      this.reach = reach;
    }

    @Override
    boolean mayMeet(PageBounds bounds, int of) {
      return reach.takes(reach.descending() ? bounds.largest() : bounds.smallest(), of);
    }

    @Override
    boolean takesNulls() {
      return reach.takesNulls();
    }
  }

  private static final class Compared extends PageTest {
    private final ColumnPredicate.Op op;
    private final Column value;

    Compared(ColumnPredicate.Op op, Column value) {
      this.op = op;
      this.value = value;
    }

    @Override
    boolean mayMeet(PageBounds bounds, int of) {
      int smallest = Values.compare(bounds.smallest(), of, value, 0);
      int largest = Values.compare(bounds.largest(), of, value, 0);
      return switch (op) {
        case EQ -> smallest <= 0 && largest >= 0;
        case LT -> smallest < 0;
        case LE -> smallest <= 0;
        case GT -> largest > 0;
        case GE -> largest >= 0;
      };
    }

    @Override
    Optional<Column> sought() {
      return op == ColumnPredicate.Op.EQ ? Optional.of(value) : Optional.empty();
    }
  }

  private static final class OneOf extends PageTest {
    private final Column values;

    OneOf(Column values) {
      this.values = values;
    }

    @Override
    boolean mayMeet(PageBounds bounds, int of) {
      for (int v = 0; v < values.size(); v++) {
        if (Values.compare(bounds.smallest(), of, values, v) <= 0
            && Values.compare(bounds.largest(), of, values, v) >= 0) {
          return true;
        }
      }
      return false;
    }

    @Override
    Optional<Column> sought() {
      return values.size() <= MOST_SOUGHT ? Optional.of(values) : Optional.empty();
    }
  }

  private static final class Beginning extends PageTest {
    private final TextColumn text;

    Beginning(TextColumn text) {
      this.text = text;
    }

    /** Texts that begin so lie together: not all before them, and not all behind them. */
    @Override
    boolean mayMeet(PageBounds bounds, int of) {
      TextColumn smallest = (TextColumn) bounds.smallest();
      boolean allBehind = smallest.compareAt(of, text, 0) > 0 && !begins(smallest, of);
      return !allBehind && ((TextColumn) bounds.largest()).compareAt(of, text, 0) >= 0;
    }

    private boolean begins(TextColumn of, int row) {
      int length = text.end(0) - text.start(0);
      return of.end(row) - of.start(row) >= length
          && Arrays.equals(
              of.bytes(),
              of.start(row),
              of.start(row) + length,
              text.bytes(),
              text.start(0),
              text.end(0));
    }
  }

  private static final class Null extends PageTest {
    private final boolean isNull;

    Null(boolean isNull) {
      this.isNull = isNull;
    }

    @Override
    boolean mayMeet(PageBounds bounds, int of) {
      return !isNull;
    }

    @Override
    boolean takesNulls() {
      return isNull;
    }
  }

  /** The keys of a join. */
  private static final class Keys extends PageTest {
    private final KeyRange range;
    private final Column smallest;
    private final Column largest;

    Keys(KeyRange range, Column smallest, Column largest) {
      this.range = range;
      this.smallest = smallest;
      this.largest = largest;
    }

    @Override
    boolean mayMeet(PageBounds bounds, int of) {
      return Values.compare(bounds.smallest(), of, largest, 0) <= 0
          && Values.compare(bounds.largest(), of, smallest, 0) >= 0
          && range
              .which()
              .map(
                  keys ->
                      keys.hasBetween(
                          Values.whole(bounds.smallest(), of), Values.whole(bounds.largest(), of)))
              .orElse(true);
    }

    @Override
    Optional<Column> sought() {
      return range
          .which()
          .filter(keys -> keys.size() <= MOST_SOUGHT)
          .map(
              keys -> {
                LongStream.Builder values = LongStream.builder();
                keys.forEach(values::add);
                long[] all = values.build().toArray();
                return new LongColumn(Type.BIGINT, all, null, all.length);
              });
    }
  }
}

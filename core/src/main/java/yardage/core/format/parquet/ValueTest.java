package yardage.core.format.parquet;

import java.util.List;
import java.util.Optional;
import yardage.core.column.Batch;
import yardage.core.column.BooleanColumn;
import yardage.core.column.Column;
import yardage.core.column.Type;
import yardage.core.expr.Comparison;
import yardage.core.expr.Expression;
import yardage.core.expr.ExpressionException;
import yardage.core.expr.Literal;
import yardage.core.plan.ColumnCondition;
import yardage.core.plan.FirstReach;
import yardage.core.plan.FirstValues;
import yardage.core.plan.KeyBits;
import yardage.core.plan.KeyRange;
import yardage.core.plan.RowCondition;

/** A condition on the values of one chunk, looked up once for each entry of its dictionary. */
abstract sealed class ValueTest {
  private Optional<boolean[]> met;

  /** The tests of conditions, without those where there is nothing to test values by. */
  static List<OfColumn> of(List<RowCondition> conditions) {
    return conditions.stream()
        .flatMap(c -> of(c).map(test -> new OfColumn(c.column(), test)).stream())
        .toList();
  }

  /**
   * A test of the values of one column.
   *
   * @param column its place among those that are wanted
   */
  record OfColumn(int column, ValueTest test) {}

  private static Optional<ValueTest> of(RowCondition condition) {
    if (condition instanceof KeyRange range) {
      return range.which().map(Key::new);
    }
    if (condition instanceof FirstValues first) {
      return Optional.of(new First(first.reach()));
    }
    Expression told = ((ColumnCondition) condition).condition();
    return Optional.of(only(told).<ValueTest>map(Key::new).orElseGet(() -> new Condition(told)));
  }

  /** The one whole number that a value has to be, however many digits of it are a fraction. */
  private static Optional<KeyBits> only(Expression condition) {
    return condition instanceof Comparison c
            && c.op() == Comparison.Op.EQ
            && c.left() instanceof Expression.Input input
            && c.right() instanceof Literal literal
            && literal.type().equals(input.type())
            && (input.type().held() == Type.Held.INTS || input.type().held() == Type.Held.LONGS)
            && literal.value().orElse(null) instanceof Number number
        ? Optional.of(KeyBits.of(number.longValue()))
        : Optional.empty();
  }

  /**
   * Which entries meet it, and behind them whether null does.
   *
   * @param rows of the chunk
   * @return empty where it cannot be told without much work
   */
  final Optional<boolean[]> met(Column dictionary, long rows) {
    if (met == null) {
      met = look(dictionary, rows);
    }
    return met;
  }

  abstract Optional<boolean[]> look(Column dictionary, long rows);

  /** Whether something is known to test by. */
  boolean isKnown() {
    return true;
  }

  /** Whether the other side of a join has the value; it has no null. */
  static final class Key extends ValueTest {
    private final KeyBits keys;

    Key(KeyBits keys) {
      this.keys = keys;
    }

    KeyBits keys() {
      return keys;
    }

    @Override
    Optional<boolean[]> look(Column dictionary, long rows) {
      boolean[] out = new boolean[dictionary.size() + 1];
      for (int i = 0; i < dictionary.size(); i++) {
        out[i] = keys.has(dictionary, i);
      }
      return Optional.of(out);
    }
  }

  /** Whether a row is among the first of an order, as far as these are known to reach. */
  static final class First extends ValueTest {
    private final FirstReach reach;

    First(FirstReach reach) {
      this.reach = reach;
    }

    @Override
    boolean isKnown() {
      return reach.last().isPresent();
    }

    /** Entries are not looked at once for all: the rows reach less far from time to time. */
    @Override
    Optional<boolean[]> look(Column dictionary, long rows) {
      return Optional.empty();
    }

    /**
     * Which of some rows may be.
     *
     * @param out takes their places; may be {@code places} itself
     */
    int meeting(Column values, int[] places, int n, int[] out) {
      int found = 0;
      for (int i = 0; i < n; i++) {
        int r = places[i];
        out[found] = r;
        found += reach.takes(values, r) ? 1 : 0;
      }
      return found;
    }
  }

  /** Whether a part of a filter is true. */
  static final class Condition extends ValueTest {
    /** With fewer rows for each entry, looking at the entries spares little. */
    private static final int LEAST_ROWS_AN_ENTRY = 4;

    private final Expression condition;

    Condition(Expression condition) {
      this.condition = condition;
    }

    @Override
    Optional<boolean[]> look(Column dictionary, long rows) {
      int entries = dictionary.size();
      if ((long) entries * LEAST_ROWS_AN_ENTRY > rows) {
        return Optional.empty();
      }
      try {
        boolean[] out = new boolean[entries + 1];
        fill(dictionary, out, 0);
        fill(Literal.of(dictionary.type(), null).column(1), out, entries);
        return Optional.of(out);
      } catch (ExpressionException e) {
        // Perhaps of an entry whose rows another condition leaves out: the filter tells.
        return Optional.empty();
      }
    }

    private void fill(Column values, boolean[] out, int from) {
      Batch batch = new Batch(List.of(values), values.size(), 0);
      BooleanColumn truth = (BooleanColumn) condition.evaluate(batch);
      for (int i = 0; i < values.size(); i++) {
        out[from + i] = !truth.isNull(i) && truth.values()[i] != 0;
      }
    }
  }
}

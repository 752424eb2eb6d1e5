package yardage.core.plan;

import java.util.List;
import java.util.stream.Collectors;
import yardage.core.expr.Literal;

/**
 * What a column has to have in rows that count, by which files, row groups and pages can be
 * skipped. It never decides about a row: the filter above the scan does. Constants have the
 * column's type, and none of them is null.
 */
public sealed interface ColumnPredicate {
  String column();

  /** As people write it. */
  String words();

  /** The comparisons. */
  enum Op {
    EQ("="),
    LT("<"),
    LE("<="),
    GT(">"),
    GE(">=");

    private final String sign;

    Op(String sign) {
      this.sign = sign;
    }
  }

  /** A comparison with a constant. */
  record Compared(String column, Op op, Literal value) implements ColumnPredicate {
    @Override
    public String words() {
      return "%s %s %s".formatted(column, op.sign, value.words());
    }
  }

  /** That the value is one of several. */
  record OneOf(String column, List<Literal> values) implements ColumnPredicate {
    private static final int MOST_SHOWN = 4;

    public OneOf {
      values = List.copyOf(values);
      if (values.isEmpty()) {
        throw new IllegalArgumentException("One of nothing");
      }
    }

    @Override
    public String words() {
      String shown =
          values.stream().limit(MOST_SHOWN).map(Literal::words).collect(Collectors.joining(", "));
      int more = values.size() - MOST_SHOWN;
      return "%s IN (%s%s)"
          .formatted(column, shown, more > 0 ? " and %d more".formatted(more) : "");
    }
  }

  /** That a text begins with another. */
  record Beginning(String column, Literal text) implements ColumnPredicate {
    @Override
    public String words() {
      return "%s begins with %s".formatted(column, text.words());
    }
  }

  /** That there is a value, or that there is none. */
  record Null(String column, boolean isNull) implements ColumnPredicate {
    @Override
    public String words() {
      return column + (isNull ? " IS NULL" : " IS NOT NULL");
    }
  }
}

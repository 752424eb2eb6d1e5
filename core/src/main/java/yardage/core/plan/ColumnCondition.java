package yardage.core.plan;

import yardage.core.expr.Expression;

/**
 * A part of a filter that looks at one column.
 *
 * @param condition over batches of that column alone
 */
public record ColumnCondition(int column, Expression condition) implements RowCondition, Sought {
  @Override
  public ColumnCondition at(int other) {
    return new ColumnCondition(other, condition);
  }
}

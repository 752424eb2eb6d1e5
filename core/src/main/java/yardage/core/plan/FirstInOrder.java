package yardage.core.plan;

/**
 * That a row is among the first of an order, of which only some are wanted: how far these reach is
 * known better and better while rows are read.
 *
 * @param column that rows are ordered by first
 */
public record FirstInOrder(int column, boolean descending, boolean nullsFirst) implements Sought {
  @Override
  public FirstInOrder at(int other) {
    return new FirstInOrder(other, descending, nullsFirst);
  }
}

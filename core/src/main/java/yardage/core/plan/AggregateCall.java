package yardage.core.plan;

import java.util.List;
import yardage.core.column.Type;

/**
 * One aggregate function.
 *
 * @param argument ordinal of the input column, -1 for {@code count(*)}
 * @param filter ordinal of a boolean column that picks the rows, -1 for all
 * @param order in which values are looked at, where that matters; of pairs, the second column
 * @param parameter a constant: what stands between joined texts, the share of a percentile
 */
public record AggregateCall(
    AggregateFunction function,
    int argument,
    boolean distinct,
    int filter,
    Type type,
    List<SortKey> order,
    String parameter) {
  public AggregateCall {
    order = List.copyOf(order);
  }

  public AggregateCall(
      AggregateFunction function, int argument, boolean distinct, int filter, Type type) {
    this(function, argument, distinct, filter, type, List.of(), "");
  }
}

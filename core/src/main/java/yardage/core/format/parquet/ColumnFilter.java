package yardage.core.format.parquet;

import java.util.List;
import yardage.core.column.Type;
import yardage.core.expr.Literal;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.FirstReach;
import yardage.core.plan.KeyRange;

/**
 * A condition on one column, by which row groups and pages are passed over. Immutable.
 *
 * @param words what it says, for people
 */
public record ColumnFilter(String words, DataFileReader.Wanted column, PageTest test) {
  public static ColumnFilter of(ColumnPredicate predicate, DataFileReader.Wanted column) {
    return new ColumnFilter(predicate.words(), column, PageTest.of(predicate, column.type()));
  }

  /** That rows are among the first of an order, as far as known when it is asked. */
  public static ColumnFilter of(FirstReach reach, String name, DataFileReader.Wanted column) {
    return new ColumnFilter("%s is among the first".formatted(name), column, PageTest.of(reach));
  }

  /**
   * Whether a file may have rows that meet it.
   *
   * @param smallest of the column's values
   */
  public boolean mayMeet(Literal smallest, Literal largest, boolean hasNulls) {
    PageBounds bounds =
        new PageBounds(
            smallest.column(1),
            largest.column(1),
            List.of(hasNulls ? PageBounds.Part.SOME_NULLS : PageBounds.Part.NO_NULLS));
    return bounds.mayMeet(0, test);
  }

  /**
   * @param name of the column
   */
  public static ColumnFilter of(KeyRange keys, String name, DataFileReader.Wanted column) {
    Type type = column.type();
    return new ColumnFilter(keys.words(name, type), column, PageTest.of(keys, type));
  }
}

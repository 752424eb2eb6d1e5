package yardage.core.format.parquet;

import yardage.core.column.Type;
import yardage.core.plan.ColumnPredicate;
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

  /**
   * @param name of the column
   */
  public static ColumnFilter of(KeyRange keys, String name, DataFileReader.Wanted column) {
    Type type = column.type();
    return new ColumnFilter(keys.words(name, type), column, PageTest.of(keys, type));
  }
}

package yardage.core.format.parquet;

import yardage.core.column.Column;

/** Is told, column by column, in which rows the values of a row group stand first. Thread-safe. */
public interface DistinctRows {
  DistinctRows NOBODY =
      new DistinctRows() {
        @Override
        public void some(int column, Column values, int[] rows, int n) {}

        @Override
        public void all(int column, Column values) {}
      };

  /** All values of a column are in the first {@code n} of some rows. */
  void some(int column, Column values, int[] rows, int n);

  /** A column has so many values that nobody has looked which are the same. */
  void all(int column, Column values);
}

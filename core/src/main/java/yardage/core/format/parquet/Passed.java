package yardage.core.format.parquet;

import yardage.core.exec.LeftOut;

/** Is told what of a file was read, and what was passed over and why. Thread-safe. */
public interface Passed {
  /** Who does not care. */
  Passed NOBODY =
      new Passed() {
        @Override
        public void rowGroup(LeftOut.By by, ColumnFilter filter) {}

        @Override
        public void pages(long count, ColumnFilter filter) {}

        @Override
        public void read(boolean first, long pages, long unused, long bytes) {}
      };

  /** A row group was passed over. */
  void rowGroup(LeftOut.By by, ColumnFilter filter);

  /** Pages were passed over, whose values were not needed. */
  void pages(long count, ColumnFilter filter);

  /**
   * Some rows of a row group were looked at.
   *
   * @param first whether they are the first of it that are
   * @param pages whose values were taken
   * @param unused pages that were read, and no row of which counted
   * @param bytes of the columns in the file
   */
  void read(boolean first, long pages, long unused, long bytes);
}

package yardage.service.previews;

import java.util.List;
import java.util.Optional;
import yardage.core.exec.Tally;

/**
 * Rows that a step gives, and what they were made of.
 *
 * @param rows values as in the rows of a query
 * @param given how many rows the step gives of what was read
 * @param matching how many of these meet the condition that was asked for
 * @param isWhole whether all rows of all sources were read, so that the numbers are those of a run
 *     over all that is there
 * @param lost columns of the step's first input that it does not give
 */
record PreviewView(
    String step,
    String verb,
    List<RowColumn> columns,
    List<List<Object>> rows,
    long given,
    Optional<Long> matching,
    boolean isWhole,
    List<String> lost,
    List<SourceView> sources,
    List<StepCounts> account,
    Optional<BeforeAfterView> comparison,
    List<String> notes,
    long elapsedMillis) {

  /**
   * A column.
   *
   * @param change {@code same} as in the step's first input, {@code new}, or {@code retyped}
   */
  record RowColumn(String name, String type, String change) {}

  /**
   * What was read of a source.
   *
   * @param kind feed or table
   * @param there how many rows it has, where that is known
   * @param words for the head of the rows
   */
  record SourceView(
      String step,
      String kind,
      String name,
      long rows,
      Optional<Long> there,
      boolean looksUp,
      Optional<Double> share,
      Optional<String> where,
      String words) {}

  /** What became of the rows that came to a step. */
  record StepCounts(
      String step,
      String verb,
      long rowsIn,
      long rowsOut,
      long setAside,
      long merged,
      long filtered,
      long unmatched) {
    static StepCounts of(Tally t) {
      return new StepCounts(
          t.step(),
          t.verb(),
          t.rowsIn(),
          t.rowsOut(),
          t.setAside(),
          t.merged(),
          t.filtered(),
          t.unmatched());
    }
  }

  /** The rows before the step, and what became of them. */
  record BeforeAfterView(List<RowColumn> columns, List<ComparedRow> rows, String words) {}

  /**
   * A row of the step's first input.
   *
   * @param number its place in the input, from 1 on
   * @param before its values, in the order of the comparison's columns
   * @param after its values behind the step; empty for one that is taken away
   * @param changed the names of columns that have another value now
   * @param reason why it is gone
   */
  record ComparedRow(
      long number,
      List<Object> before,
      Optional<List<Object>> after,
      List<String> changed,
      Optional<String> reason) {}
}

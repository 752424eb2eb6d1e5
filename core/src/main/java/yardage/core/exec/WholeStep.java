package yardage.core.exec;

import java.util.List;
import yardage.core.column.Column;
import yardage.core.plan.WholeDescription;

/** All rows to all rows, in the order of their input; what does not come out is counted. */
public interface WholeStep extends WholeDescription {
  /**
   * @param columns all rows; at least one column
   */
  List<Column> apply(List<Column> columns, StepTally tally, ExecutionContext context);
}

package yardage.core.exec;

import java.util.Arrays;
import java.util.List;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.plan.SortKey;
import yardage.core.plan.WholeDescription;

/**
 * Rows group by group, in the order of the groups' keys: for a step that looks at all rows of one
 * key together and at no others. Only one group need fit in memory.
 */
public interface GroupedStep extends WholeDescription {
  /** Columns whose values make a group; rows that are null there have a group of their own. */
  int[] groupedBy();

  /** The order of the groups. */
  default List<SortKey> order() {
    return Arrays.stream(groupedBy()).mapToObj(c -> SortKey.of(c, false)).toList();
  }

  /** What the step takes in memory for each row that it is given, beside the rows. */
  long bytesPerRow();

  Pass pass(StepTally tally, ExecutionContext context);

  /** One go through all rows; one thread at a time, but for {@link #see}. */
  interface Pass {
    /** Sees rows as they come in, all of them before the first group; called by many threads. */
    void see(Batch rows);

    /** The rows that come before those of all groups. */
    List<Column> start();

    /**
     * The rows that come out for some whole groups.
     *
     * @param columns rows in the order of their groups; within a group in the order of the input
     */
    List<Column> groups(List<Column> columns);

    /** Counts, once all groups were given. */
    void end();
  }
}

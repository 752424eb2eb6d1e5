package yardage.core.sql;

import java.time.Instant;
import java.util.List;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import yardage.core.column.Schema;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;

/** Something that SQL can read by name. */
public interface Relation {
  Schema schema();

  /** About how many rows, for choosing a join's sides; exactness does not matter. */
  double rowCount();

  /** How many rows exactly, where that is known without reading them. */
  default OptionalLong exactRowCount() {
    return OptionalLong.empty();
  }

  /** About how many different values a column has; empty where nothing is known. */
  default OptionalDouble valueCount(int column) {
    return OptionalDouble.empty();
  }

  /**
   * The relation as it was.
   *
   * @throws UnsupportedOperationException when it keeps no past
   */
  default Relation asOf(Instant time) {
    throw new UnsupportedOperationException();
  }

  /**
   * A node that gives some of the columns.
   *
   * @param columns ordinals in {@link #schema}
   * @param predicates what the reader may use to skip files; rows that do not meet them may still
   *     come
   * @param step which reads
   */
  PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step);
}

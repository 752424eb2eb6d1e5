package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.calcite.plan.RelOptUtil;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.TableScan;
import org.apache.calcite.rex.RexNode;

/**
 * What a projection reads of a scan that lies below it, or below a filter below it.
 *
 * @param condition of the filter
 * @param columns that the projection and the condition look at, in order
 */
record ScanRead(TableScan scan, Optional<RexNode> condition, List<Integer> columns) {
  /** Empty where something else lies below. */
  static Optional<ScanRead> of(Project project) {
    Optional<RexNode> condition = Optional.empty();
    RelNode below = project.getInput();
    if (below instanceof Filter filter) {
      condition = Optional.of(filter.getCondition());
      below = filter.getInput();
    }
    if (!(below instanceof TableScan scan)) {
      return Optional.empty();
    }
    List<RexNode> looking = new ArrayList<>(project.getProjects());
    condition.ifPresent(looking::add);
    return Optional.of(
        new ScanRead(scan, condition, RelOptUtil.InputFinder.bits(looking, null).asList()));
  }
}

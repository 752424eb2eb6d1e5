package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Aggregate;
import org.apache.calcite.rel.core.AggregateCall;
import org.apache.calcite.rel.core.Filter;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rex.RexBuilder;
import org.apache.calcite.rex.RexInputRef;
import org.apache.calcite.rex.RexNode;
import org.apache.calcite.rex.RexShuttle;

/**
 * A query of one row: an aggregate over all rows, and what is computed from it.
 *
 * @param projects the last one first
 * @param filters whether the row may be filtered away
 */
record Whole(List<Project> projects, Aggregate aggregate, boolean filters) {
  static Optional<Whole> of(RelNode rel) {
    List<Project> projects = new ArrayList<>();
    boolean filters = false;
    RelNode at = rel;
    while (at instanceof Project || at instanceof Filter) {
      if (at instanceof Project p) {
        projects.add(p);
      }
      filters |= at instanceof Filter;
      at = at.getInput(0);
    }
    return at instanceof Aggregate a
            && a.getGroupCount() == 0
            && a.getGroupType() == Aggregate.Group.SIMPLE
        ? Optional.of(new Whole(projects, a, filters))
        : Optional.empty();
  }

  Unnesting.Unnested unnested(Unnesting unnesting) {
    Unnesting.Unnested out = unnesting.aggregate(aggregate, true);
    for (int p = projects.size() - 1; p >= 0; p--) {
      out = unnesting.project(projects.get(p), out);
    }
    return out;
  }

  /** The value over no rows. */
  RexNode ofNothing(RexBuilder rex) {
    List<RexNode> values = new ArrayList<>();
    for (AggregateCall call : aggregate.getAggCallList()) {
      values.add(
          Unnesting.isCount(call)
              ? rex.makeZeroLiteral(call.getType())
              : rex.makeNullLiteral(call.getType()));
    }
    for (int p = projects.size() - 1; p >= 0; p--) {
      List<RexNode> below = values;
      values =
          projects.get(p).getProjects().stream()
              .map(
                  e ->
                      e.accept(
                          new RexShuttle() {
                            @Override
                            public RexNode visitInputRef(RexInputRef ref) {
                              return below.get(ref.getIndex());
                            }
                          }))
              .toList();
    }
    return values.get(0);
  }
}

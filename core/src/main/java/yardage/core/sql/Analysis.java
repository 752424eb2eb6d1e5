package yardage.core.sql;

import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.function.Function;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.Project;
import org.apache.calcite.rel.core.TableScan;
import org.apache.calcite.rel.metadata.RelMetadataQuery;
import yardage.core.exec.Tally;
import yardage.core.plan.PlanNode;

/**
 * A plan whose parts count what they do, each under a name of its own. A scan is one part with the
 * filter and the projection over it.
 */
public final class Analysis {
  private final RelNode rel;
  private final Map<RelNode, String> parts = new IdentityHashMap<>();
  private final PlanNode plan;

  Analysis(RelNode rel, PhysicalPlanner planner, String step) {
    this.rel = rel;
    this.plan =
        planner.inParts(
            rel, step, part -> parts.computeIfAbsent(part, p -> "part " + parts.size()));
  }

  /** To be run with a tally for each step that it names. */
  public PlanNode plan() {
    return plan;
  }

  /**
   * A line of the plan, and what was done for it. Sizes are in bytes.
   *
   * @param expected the rows that the planner counted on
   * @param cost empty for the lines of a part below its first one
   */
  public record Line(String text, long rows, OptionalLong expected, Optional<Cost> cost) {}

  /**
   * What a part took.
   *
   * @param cpuNanos of all workers together
   */
  public record Cost(
      long cpuNanos,
      long bytesRead,
      long filesRead,
      long filesSkipped,
      long peakBytes,
      long bytesSpilled) {}

  /**
   * @param tallies of the run, by step
   */
  public List<Line> lines(Function<String, Tally> tallies) {
    List<Line> out = new ArrayList<>();
    RelMetadataQuery metadata = rel.getCluster().getMetadataQuery();
    String part = "";
    for (PlanText.Line line : PlanText.lines(rel)) {
      RelNode node = line.rel();
      boolean begins = parts.containsKey(node);
      part = begins ? parts.get(node) : part;
      Tally tally = tallies.apply(part);
      boolean reads = node instanceof TableScan || node instanceof Project p && readsOnly(p);
      // A filter, and a projection, give the rows that go out of their part.
      long rows = reads && !begins ? tally.rowsIn() : tally.rowsOut();
      Double expected = metadata.getRowCount(node);
      out.add(
          new Line(
              line.text(),
              rows,
              expected == null ? OptionalLong.empty() : OptionalLong.of(Math.round(expected)),
              begins ? Optional.of(cost(tally)) : Optional.empty()));
    }
    return out;
  }

  private static boolean readsOnly(Project project) {
    return project.getInput() instanceof TableScan;
  }

  private static Cost cost(Tally t) {
    return new Cost(
        t.cpuNanos(),
        t.bytesRead(),
        t.filesRead(),
        t.filesSkipped(),
        t.peakBytes(),
        t.bytesSpilled());
  }
}

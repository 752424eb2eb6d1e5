package yardage.core.sql;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.Function;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.core.TableScan;
import yardage.core.exec.Reads;
import yardage.core.exec.StepCounts;
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
   * @param expected about how many rows were expected to come out
   * @param cost empty for the lines of a part below its first one
   */
  public record Line(String text, long expected, long rows, Optional<Cost> cost) {}

  /**
   * What a part took.
   *
   * @param cpuNanos of all workers together
   * @param leftOut what was not read, and why, in words
   */
  public record Cost(
      long cpuNanos,
      long bytesRead,
      Reads reads,
      List<String> leftOut,
      long peakBytes,
      long bytesSpilled) {
    public Cost {
      leftOut = List.copyOf(leftOut);
    }
  }

  /**
   * @param counts of the run, by step
   */
  public List<Line> lines(Function<String, StepCounts> counts) {
    Map<RelNode, String> partOf = new IdentityHashMap<>();
    share(rel, "", partOf);
    List<Line> out = new ArrayList<>();
    Set<String> begun = new HashSet<>();
    for (PlanText.Line line : PlanText.lines(rel)) {
      String part = partOf.get(line.rel());
      boolean begins = begun.add(part);
      StepCounts counted = counts.apply(part);
      Tally tally = counted.tally();
      // A part that reads and filters lets out what its filter keeps.
      boolean reads = line.rel() instanceof TableScan && !parts.containsKey(line.rel());
      out.add(
          new Line(
              line.text(),
              line.expected(),
              reads ? tally.rowsIn() : tally.rowsOut(),
              begins ? Optional.of(cost(counted)) : Optional.empty()));
    }
    return out;
  }

  private void share(RelNode node, String part, Map<RelNode, String> partOf) {
    String own = parts.getOrDefault(node, part);
    partOf.put(node, own);
    SharedParts.of(node).ifPresent(p -> share(p.rel(), own, partOf));
    node.getInputs().forEach(i -> share(i, own, partOf));
  }

  private static Cost cost(StepCounts counts) {
    Tally t = counts.tally();
    return new Cost(
        t.cpuNanos(),
        t.bytesRead(),
        t.reads(),
        counts.leftOut().entrySet().stream()
            .sorted(Map.Entry.comparingByKey())
            .map(e -> e.getKey().words(e.getValue()))
            .toList(),
        t.peakBytes(),
        t.bytesSpilled());
  }
}

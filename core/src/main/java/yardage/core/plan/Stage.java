package yardage.core.plan;

import java.util.List;
import java.util.Set;
import java.util.TreeSet;

/**
 * What runs without a stop: chains, and the output in which they end.
 *
 * @param phases chains that may run together, then the next ones: what a join has left over comes
 *     after its probe
 */
public record Stage(int id, List<List<Chain>> phases, Output output) {
  public Stage {
    phases = phases.stream().map(List::copyOf).toList();
  }

  /**
   * An input and what happens to its rows.
   *
   * @param step for which the reading is counted
   */
  public record Chain(String step, Input input, List<Operation> operations) {
    public Chain {
      operations = List.copyOf(operations);
    }
  }

  /** The stages that this one needs, by their numbers. */
  public Set<Integer> needs() {
    Set<Integer> out = new TreeSet<>();
    for (List<Chain> phase : phases) {
      for (Chain chain : phase) {
        out.addAll(chain.input().needs());
        for (Operation operation : chain.operations()) {
          if (operation instanceof Operation.Probe probe) {
            out.add(probe.stage());
          }
        }
      }
    }
    return out;
  }
}

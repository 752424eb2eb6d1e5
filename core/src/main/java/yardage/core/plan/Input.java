package yardage.core.plan;

import java.util.List;
import java.util.Set;
import java.util.TreeSet;

/** Where a chain's rows come from. */
public sealed interface Input {
  /** One answer for each kind. */
  interface Visitor<R> {
    R scanned(Scanned scanned);

    R rows(Rows rows);
  }

  <R> R accept(Visitor<R> visitor);

  /** The stages that have to be over, by their numbers. */
  Set<Integer> needs();

  /**
   * A source outside.
   *
   * @param sought all that rows which count meet
   */
  record Scanned(ScanDescription source, List<Sought> sought) implements Input {
    public Scanned {
      sought = List.copyOf(sought);
    }

    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.scanned(this);
    }

    @Override
    public Set<Integer> needs() {
      Set<Integer> out = new TreeSet<>();
      for (Sought s : sought) {
        if (s instanceof HeldKeys keys) {
          out.add(keys.stage());
        }
      }
      return out;
    }
  }

  /** What an earlier stage gives; of a join's build, what is left when its probe is over. */
  record Rows(int stage) implements Input {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.rows(this);
    }

    @Override
    public Set<Integer> needs() {
      return Set.of(stage);
    }
  }
}

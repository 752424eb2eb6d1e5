package yardage.core.plan;

/** Where a chain's rows come from. */
public sealed interface Input {
  /** One answer for each kind. */
  interface Visitor<R> {
    R scanned(Scanned scanned);

    R rows(Rows rows);
  }

  <R> R accept(Visitor<R> visitor);

  /** A source outside. */
  record Scanned(ScanDescription source) implements Input {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.scanned(this);
    }
  }

  /** What an earlier stage gives; of a join's build, what is left when its probe is over. */
  record Rows(int stage) implements Input {
    @Override
    public <R> R accept(Visitor<R> visitor) {
      return visitor.rows(this);
    }
  }
}

package yardage.core.plan;

/**
 * That a column has one of the keys that the held side of a join has.
 *
 * @param stage that builds the join
 * @param key its place among the keys of the join
 */
public record HeldKeys(int column, int stage, int key) implements Sought {
  @Override
  public HeldKeys at(int other) {
    return new HeldKeys(other, stage, key);
  }
}

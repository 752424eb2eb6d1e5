package yardage.core.plan;

/**
 * That a column has one of the keys that the held side of a join has.
 *
 * @param stage that builds the join
 * @param key its place among the keys of the join
 * @param once whether one row of each key comes to the same as all of them, where nothing else is
 *     sought
 */
public record HeldKeys(int column, int stage, int key, boolean once) implements Sought {
  @Override
  public HeldKeys at(int other) {
    return new HeldKeys(other, stage, key, once);
  }
}

package yardage.core.plan;

/** Which rows a join gives. */
public enum JoinKind {
  INNER,
  LEFT,
  RIGHT,
  FULL,
  SEMI,
  ANTI;

  public boolean keepsLeft() {
    return this == LEFT || this == FULL;
  }

  public boolean keepsRight() {
    return this == RIGHT || this == FULL;
  }
}

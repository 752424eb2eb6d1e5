package yardage.core.plan;

/** Which rows a join gives. */
public enum JoinKind {
  INNER,
  LEFT,
  RIGHT,
  FULL,
  /** Left rows that match, once each, without right columns. */
  SEMI,
  /** Left rows that match nothing, without right columns. */
  ANTI,
  /** Right rows that match, once each, without left columns. */
  RIGHT_SEMI,
  /** Right rows that match nothing, without left columns. */
  RIGHT_ANTI;

  /** Whether left rows without a match come out. */
  public boolean keepsLeft() {
    return this == LEFT || this == FULL;
  }

  /** Whether right rows without a match come out, behind nulls for the left columns. */
  public boolean keepsRight() {
    return this == RIGHT || this == FULL;
  }

  public boolean givesLeft() {
    return this != RIGHT_SEMI && this != RIGHT_ANTI;
  }

  public boolean givesRight() {
    return this != SEMI && this != ANTI;
  }
}

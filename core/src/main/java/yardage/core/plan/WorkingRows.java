package yardage.core.plan;

/** The rows that the round before has added to a {@link Recursion} of that name. */
public record WorkingRows(String name) implements ScanDescription {
  @Override
  public String words() {
    return "rows of the last round of " + name;
  }
}

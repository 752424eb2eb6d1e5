package yardage.core.plan;

/** A column to sort by. */
public record SortKey(int ordinal, boolean descending, boolean nullsFirst) {
  public SortKey {
    Ordinals.check(ordinal);
  }

  /** Nulls first, or last when descending: where nothing else is said. */
  public static SortKey of(int ordinal, boolean descending) {
    return new SortKey(ordinal, descending, !descending);
  }
}

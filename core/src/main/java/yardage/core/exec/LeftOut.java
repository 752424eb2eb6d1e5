package yardage.core.exec;

/**
 * What a scan has not read since no row of it counts.
 *
 * @param by how that was known
 * @param condition which tells; empty where several do together
 */
public record LeftOut(Unit unit, By by, String condition) implements Comparable<LeftOut> {
  /** What is read or left out as a whole. */
  public enum Unit {
    FILES("file"),
    ROW_GROUPS("row group"),
    PAGES("page");

    private final String one;

    Unit(String one) {
      this.one = one;
    }
  }

  /** What tells. */
  public enum By {
    PARTITION("by partition"),
    STATISTICS("by statistics"),
    PARTITION_OR_STATISTICS("by partition or statistics"),
    PAGE_INDEX("by page index"),
    BLOOM_FILTER("by Bloom filter"),
    ROWS("without a row that counts");

    private final String words;

    By(String words) {
      this.words = words;
    }
  }

  /** Such as {@code 35 files by partition: day >= '2026-03-10'}. */
  public String words(long count) {
    return "%,d %s%s %s%s"
        .formatted(
            count,
            unit.one,
            count == 1 ? "" : "s",
            by.words,
            condition.isEmpty() ? "" : ": " + condition);
  }

  @Override
  public int compareTo(LeftOut other) {
    int c = unit.compareTo(other.unit);
    c = c == 0 ? by.compareTo(other.by) : c;
    return c == 0 ? condition.compareTo(other.condition) : c;
  }
}

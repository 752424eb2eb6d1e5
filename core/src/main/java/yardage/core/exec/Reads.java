package yardage.core.exec;

/**
 * How much of what there is a step has read.
 *
 * @param partitions of tables that have any; those of the others are those without rows that count
 */
public record Reads(Count partitions, Count files, Count rowGroups, Count pages) {
  /**
   * Of files, or of parts of the files that were read.
   *
   * @param leftOut since no row of them counts
   */
  public record Count(long read, long leftOut) {
    public long all() {
      return read + leftOut;
    }
  }
}

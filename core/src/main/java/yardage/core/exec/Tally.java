package yardage.core.exec;

/**
 * One step's row accounting at one moment; what is kept of a run has its components by name. Every
 * row that comes in is counted once among what goes out or leaves:
 *
 * <pre>
 * rowsIn + rightIn + multiplied + added = rowsOut + setAside + merged + filtered + unmatched + folded + absorbed
 * </pre>
 *
 * @param rowsIn rows from the main input (for a read: records found in files)
 * @param rightIn rows from the second input of a join
 * @param setAside rows that broke the contract of their feed
 * @param merged rows dropped by a dedupe because another row of their key stayed
 * @param filtered rows that a condition or a limit removed
 * @param unmatched rows dropped by a join for want of a match
 * @param multiplied extra rows made by a join whose key matched more than once
 * @param added rows made from nothing: a right row without a left one, a total of no rows
 * @param folded rows that an aggregate folded into the groups of others
 * @param absorbed rows of a join's second input, which serve as a look-up
 * @param groupsRead row groups of the files that were read; skipped are those that have no row
 *     which counts, as with pages of these row groups
 * @param bytesSpilled bytes that went to disk because memory did not take them
 * @param matched rows of a join's main input that found a match (not part of the balance)
 */
public record Tally(
    String step,
    String verb,
    long rowsIn,
    long rightIn,
    long rowsOut,
    long setAside,
    long merged,
    long filtered,
    long unmatched,
    long multiplied,
    long added,
    long folded,
    long absorbed,
    long matched,
    long bytesRead,
    long bytesWritten,
    long partitionsRead,
    long partitionsSkipped,
    long filesRead,
    long filesSkipped,
    long groupsRead,
    long groupsSkipped,
    long pagesRead,
    long pagesSkipped,
    long filesWritten,
    long cpuNanos,
    long peakBytes,
    long startedNanos,
    long finishedNanos,
    long bytesSpilled) {

  /** The counts of what is read or left out as a whole. */
  public Reads reads() {
    return new Reads(
        new Reads.Count(partitionsRead, partitionsSkipped),
        new Reads.Count(filesRead, filesSkipped),
        new Reads.Count(groupsRead, groupsSkipped),
        new Reads.Count(pagesRead, pagesSkipped));
  }

  /**
   * Rows that came without leaving, less rows that left without coming; zero when the books
   * balance.
   */
  public long imbalance() {
    return rowsIn
        + rightIn
        + multiplied
        + added
        - (rowsOut + setAside + merged + filtered + unmatched + folded + absorbed);
  }
}

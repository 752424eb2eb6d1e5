package yardage.core.feed;

import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.concurrent.CopyOnWriteArrayList;
import yardage.core.column.Schema;
import yardage.core.exec.PhysicalNode;
import yardage.core.exec.StepTally;
import yardage.core.lake.ColumnPredicate;
import yardage.core.lake.RawFolders;
import yardage.core.sql.Relation;

/**
 * A feed's files where they lie, for SQL: all of them, under the contract. Rows that do not fit are
 * left out, and {@link #leftOut} says how many; nothing is taken into the ledger.
 */
public final class FeedRelation implements Relation {
  private static final double BYTES_A_ROW = 50;

  private final FeedDefinition feed;
  private final RawFolders raw;
  private final List<FileDiscovery.Found> files;
  private final List<String> held;
  private final List<FeedScan> scans = new CopyOnWriteArrayList<>();

  /** Asked for several times for each plan. */
  private final double rowCount;

  public FeedRelation(FeedDefinition feed, RawFolders raw) {
    this(feed, raw, Quarantine.NONE);
  }

  public FeedRelation(FeedDefinition feed, RawFolders raw, Quarantine quarantine) {
    this.feed = feed;
    this.raw = raw;
    List<FileDiscovery.Found> found = FileDiscovery.find(raw, feed);
    this.files = quarantine.without(found);
    this.held = quarantine.told(found);
    this.rowCount =
        files.stream().mapToLong(FileDiscovery.Found::sizeBytes).sum() / BYTES_A_ROW + 1;
  }

  @Override
  public Schema schema() {
    return feed.schema();
  }

  @Override
  public double rowCount() {
    return rowCount;
  }

  @Override
  public PhysicalNode read(int[] columns, List<ColumnPredicate> predicates, StepTally tally) {
    FeedScan scan =
        new FeedScan(
            feed,
            FileDiscovery.folder(raw, feed),
            files,
            columns,
            tally,
            SetAsideWriter.NONE,
            "query",
            Instant.now());
    scans.add(scan);
    return new PhysicalNode.Scan(scan, schema().project(columns), tally);
  }

  /**
   * What an answer does not show of the files, once they were read: rows that did not fit, values
   * that became null, and what else the files tell. Empty when all of them is in it.
   */
  public List<String> leftOut() {
    List<String> out = new ArrayList<>();
    held.forEach(h -> out.add("feed %s: %s".formatted(feed.name(), h)));
    for (FeedScan scan : scans) {
      long rows = scan.setAsideByReason().values().stream().mapToLong(Long::longValue).sum();
      if (rows > 0) {
        List<String> reasons = new ArrayList<>();
        scan.setAsideByReason().forEach((reason, n) -> reasons.add("%,d %s".formatted(n, reason)));
        out.add(
            "feed %s: %,d rows do not fit and are not in the answer (%s)"
                .formatted(feed.name(), rows, String.join(", ", reasons)));
      }
      scan.nulled()
          .forEach(
              (column, n) ->
                  out.add(
                      "feed %s: %,d values of %s do not fit and are null here"
                          .formatted(feed.name(), n, column)));
      scan.warnings().forEach(w -> out.add("feed %s: %s".formatted(feed.name(), w)));
    }
    return out.stream().distinct().toList();
  }
}

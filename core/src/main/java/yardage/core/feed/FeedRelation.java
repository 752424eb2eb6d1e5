package yardage.core.feed;

import java.time.Instant;
import java.util.List;
import yardage.core.column.Schema;
import yardage.core.exec.PhysicalNode;
import yardage.core.exec.StepTally;
import yardage.core.lake.ColumnPredicate;
import yardage.core.lake.RawFolders;
import yardage.core.sql.Relation;

/**
 * A feed's files where they lie, for SQL: all of them, under the contract. Rows that do not fit are
 * left out; nothing is taken into the ledger.
 */
public final class FeedRelation implements Relation {
  private static final double BYTES_A_ROW = 50;

  private final FeedDefinition feed;
  private final RawFolders raw;
  private final List<FileDiscovery.Found> files;

  /** Asked for several times for each plan. */
  private final double rowCount;

  public FeedRelation(FeedDefinition feed, RawFolders raw) {
    this.feed = feed;
    this.raw = raw;
    this.files = FileDiscovery.find(raw, feed);
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
    return new PhysicalNode.Scan(scan, schema().project(columns), tally);
  }
}

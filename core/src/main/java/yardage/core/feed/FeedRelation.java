package yardage.core.feed;

import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import yardage.core.column.Schema;
import yardage.core.lake.RawFolders;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;

/**
 * A feed's files where they lie, for SQL: all of them, under the contract. Rows that do not fit are
 * left out, and {@link #leftOut} says how many; nothing is taken into the ledger.
 */
public final class FeedRelation implements Relation {
  private static final double BYTES_A_ROW = 50;

  private final FeedDefinition feed;
  private final List<FileDiscovery.Found> files;
  private final List<String> held;

  /** Asked for several times for each plan. */
  private final double rowCount;

  public FeedRelation(FeedDefinition feed, RawFolders raw) {
    this(feed, raw, Quarantine.NONE);
  }

  public FeedRelation(FeedDefinition feed, RawFolders raw, Quarantine quarantine) {
    this(feed, FileDiscovery.find(raw, feed), quarantine);
  }

  private FeedRelation(
      FeedDefinition feed, List<FileDiscovery.Found> found, Quarantine quarantine) {
    this.feed = feed;
    this.files = quarantine.without(found);
    this.held = quarantine.told(found);
    this.rowCount =
        files.stream().mapToLong(FileDiscovery.Found::sizeBytes).sum() / BYTES_A_ROW + 1;
  }

  /**
   * Only the files whose paths match a pattern.
   *
   * @throws FeedException when the pattern is none, or no file matches
   */
  public FeedRelation only(String pattern) {
    FileDiscovery.complaint(pattern)
        .ifPresent(
            why -> {
              throw new FeedException(why);
            });
    Glob glob = Glob.compile(pattern);
    List<FileDiscovery.Found> some = files.stream().filter(f -> glob.matches(f.path())).toList();
    if (some.isEmpty()) {
      throw new FeedException(
          "No file of feed [%s] matches [%s]; it has %,d files%s"
              .formatted(
                  feed.name(),
                  pattern,
                  files.size(),
                  files.isEmpty() ? "" : ", such as " + files.get(0).path()));
    }
    return new FeedRelation(feed, some, Quarantine.NONE);
  }

  public List<FileDiscovery.Found> files() {
    return files;
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
  public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
    return new PlanNode.Scan(
        FeedFiles.of(feed, files, columns, "query", Instant.now()),
        schema().project(columns),
        step);
  }

  /**
   * What an answer does not show of the files, once they were read: rows that did not fit, values
   * that became null, and what else the files tell. Empty when all of them is in it.
   *
   * @param reports of what was read for the answer
   */
  public List<String> leftOut(List<FeedReport> reports) {
    List<String> out = new ArrayList<>();
    held.forEach(h -> out.add("feed %s: %s".formatted(feed.name(), h)));
    for (FeedReport report : reports) {
      if (!report.feed().equals(feed.name())) {
        continue;
      }
      long rows = report.setAsideByReason().values().stream().mapToLong(Long::longValue).sum();
      if (rows > 0) {
        out.add(
            "feed %s: %,d rows do not fit and are not in the answer (%s)"
                .formatted(feed.name(), rows, report.reasons()));
      }
      report
          .nulled()
          .forEach(
              (column, n) ->
                  out.add(
                      "feed %s: %,d values of %s do not fit and are null here"
                          .formatted(feed.name(), n, column)));
      report.warnings().forEach(w -> out.add("feed %s: %s".formatted(feed.name(), w)));
    }
    return out.stream().distinct().toList();
  }
}

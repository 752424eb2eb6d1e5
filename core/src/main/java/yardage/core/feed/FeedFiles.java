package yardage.core.feed;

import java.time.Instant;
import java.util.Arrays;
import java.util.List;
import yardage.core.plan.ScanDescription;

/**
 * Some files of a feed, to be read under its contract.
 *
 * @param columns ordinals in the feed's schema of the columns to give
 * @param run what {@code add: run} and the set-aside rows name
 * @param takenAt the time of intake that rows may carry
 */
public record FeedFiles(
    FeedDefinition feed, List<FeedFile> files, int[] columns, String run, Instant takenAt)
    implements ScanDescription {
  public FeedFiles {
    files = List.copyOf(files);
    columns = columns.clone();
  }

  public static FeedFiles of(
      FeedDefinition feed,
      List<FileDiscovery.Found> files,
      int[] columns,
      String run,
      Instant takenAt) {
    return new FeedFiles(
        feed, files.stream().map(FileDiscovery.Found::inPlan).toList(), columns, run, takenAt);
  }

  @Override
  public String words() {
    return "feed %s, columns %s of %,d files"
        .formatted(feed.name(), Arrays.toString(columns), files.size());
  }
}

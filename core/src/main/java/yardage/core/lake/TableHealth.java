package yardage.core.lake;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Collectors;
import yardage.core.exec.Sizes;
import yardage.core.lake.LakeTable.FileInfo;
import yardage.core.lake.LakeTable.SnapshotInfo;

/**
 * How a table does: whether its files are well sized, its partitions alike, and its rows as fresh
 * as they usually are.
 *
 * @param smallFiles files that a compaction would put together
 * @param largestPartition how many times the rows of the median partition the largest has; 1 when
 *     there are fewer than three
 */
public record TableHealth(int smallFiles, double largestPartition, List<Finding> findings) {
  /** From so many times the median on, a partition counts as skewed. */
  private static final double SKEWED = 5;

  /** Later than so many times the usual interval, a table counts as stale. */
  private static final int STALE = 3;

  private static final int SNAPSHOTS_KEPT_WELL = 100;

  /**
   * Something to see to.
   *
   * @param code stable: small-files, skewed, stale, many-snapshots
   * @param fix what to do
   */
  public record Finding(String code, String message, String fix) {}

  public static TableHealth of(LakeTable table, Instant now) {
    List<Finding> findings = new ArrayList<>();
    List<Compaction.Group> groups = Compaction.groups(table);
    int small = groups.stream().mapToInt(g -> g.files().size()).sum();
    if (small > 0) {
      long bytes = groups.stream().mapToLong(Compaction.Group::sizeBytes).sum();
      findings.add(
          new Finding(
              "small-files",
              "%,d small files of %s on average in %,d %s, where %s would be well"
                  .formatted(
                      small,
                      Sizes.text(bytes / small),
                      groups.size(),
                      groups.size() == 1 ? "partition" : "partitions",
                      Sizes.text(table.targetBytes())),
              "yardage table compact " + table.name()));
    }
    double skew = skew(table, findings);
    List<SnapshotInfo> snapshots = table.snapshots();
    stale(table, snapshots, now, findings);
    if (snapshots.size() > SNAPSHOTS_KEPT_WELL) {
      findings.add(
          new Finding(
              "many-snapshots",
              "%,d snapshots are kept, and all their files".formatted(snapshots.size()),
              "yardage table expire " + table.name()));
    }
    return new TableHealth(small, skew, List.copyOf(findings));
  }

  private static double skew(LakeTable table, List<Finding> findings) {
    Map<String, Long> rows =
        table.files().stream()
            .collect(
                Collectors.groupingBy(
                    FileInfo::partition, TreeMap::new, Collectors.summingLong(FileInfo::rows)));
    if (rows.size() < 3) {
      return 1;
    }
    List<Long> sorted = rows.values().stream().sorted().toList();
    long median = Math.max(1, sorted.get(sorted.size() / 2));
    Map.Entry<String, Long> largest =
        rows.entrySet().stream().max(Map.Entry.comparingByValue()).orElseThrow();
    double times = largest.getValue() / (double) median;
    if (times >= SKEWED) {
      findings.add(
          new Finding(
              "skewed",
              "Partition %s has %,d rows, %.0f times the median"
                  .formatted(largest.getKey(), largest.getValue(), times),
              "Look whether its value is right, or partition by something else"));
    }
    return times;
  }

  /** Compares how long the table has not been written with how long it usually is not. */
  private static void stale(
      LakeTable table, List<SnapshotInfo> snapshots, Instant now, List<Finding> findings) {
    List<Instant> written =
        snapshots.stream()
            .filter(s -> s.run().isPresent())
            .map(SnapshotInfo::at)
            .sorted(Comparator.reverseOrder())
            .limit(20)
            .toList();
    if (written.size() < 4) {
      return;
    }
    List<Duration> intervals = new ArrayList<>();
    for (int i = 1; i < written.size(); i++) {
      intervals.add(Duration.between(written.get(i), written.get(i - 1)));
    }
    intervals.sort(Comparator.naturalOrder());
    Duration usual = intervals.get(intervals.size() / 2);
    Duration since = Duration.between(written.get(0), now);
    // Tables that a person writes by hand have no usual interval worth a warning.
    if (usual.compareTo(Duration.ofMinutes(1)) >= 0
        && since.compareTo(usual.multipliedBy(STALE)) > 0) {
      findings.add(
          new Finding(
              "stale",
              "Not written for %s, where %s is usual".formatted(words(since), words(usual)),
              "See whether its pipeline still runs: yardage runs"
                  + table.lastWriter().map(p -> " --pipeline " + p).orElse("")));
    }
  }

  private static String words(Duration d) {
    if (d.toMinutes() < 120) {
      return d.toMinutes() + " minutes";
    }
    return d.toHours() < 48 ? d.toHours() + " hours" : d.toDays() + " days";
  }
}

package yardage.core.lake;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import java.util.stream.Collectors;
import yardage.core.exec.Sizes;
import yardage.core.lake.LakeTable.FileInfo;
import yardage.core.lake.LakeTable.SnapshotInfo;
import yardage.core.storage.Storage;

/**
 * How a table does: whether its files are well sized, its partitions alike, and its rows as fresh
 * as they usually are.
 *
 * @param rhythm how often its runs write it; empty for one that is written by hand or seldom
 * @param smallFiles files that a compaction would put together
 * @param largestPartition how many times the rows of the median partition the largest has; 1 when
 *     there are fewer than three
 */
public record TableHealth(
    int smallFiles, double largestPartition, Optional<Rhythm> rhythm, List<Finding> findings) {
  /** From so many times the median on, a partition counts as skewed. */
  private static final double SKEWED = 5;

  /** Later than so many times the usual interval, a table counts as stale. */
  private static final int STALE = 3;

  private static final int SNAPSHOTS_KEPT_WELL = 100;

  /**
   * Something to see to.
   *
   * @param code stable: lost-files, small-files, skewed, stale, many-snapshots
   * @param fix what to do
   */
  public record Finding(String code, String message, String fix) {}

  /** How often a table's runs write it, and when the last one did. */
  public record Rhythm(Duration usual, Instant last, Optional<String> writer) {
    /** A finding, when the table has not been written for much longer than is usual. */
    public Optional<Finding> stale(TableName table, Instant now) {
      Duration since = Duration.between(last, now);
      return since.compareTo(usual.multipliedBy(STALE)) <= 0
          ? Optional.empty()
          : Optional.of(
              new Finding(
                  "stale",
                  "Not written for %s, where %s is usual".formatted(words(since), words(usual)),
                  "See whether its pipeline still runs: yardage runs"
                      + writer.map(p -> " --pipeline " + p).orElse("")));
    }
  }

  /** What is found now; of what was found before only the rhythm goes on by itself. */
  public List<Finding> findings(TableName table, Instant now) {
    List<Finding> out = new ArrayList<>(findings);
    rhythm.flatMap(r -> r.stale(table, now)).ifPresent(out::add);
    return out;
  }

  public static TableHealth of(LakeTable table) {
    List<Finding> findings = new ArrayList<>();
    lost(table, findings);
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
                      Sizes.text(table.filling().targetBytes())),
              "yardage table compact " + table.name()));
    }
    double skew = skew(table, findings);
    List<SnapshotInfo> snapshots = table.snapshots();
    if (snapshots.size() > SNAPSHOTS_KEPT_WELL) {
      findings.add(
          new Finding(
              "many-snapshots",
              "%,d snapshots are kept, and all their files".formatted(snapshots.size()),
              "yardage table expire " + table.name()));
    }
    return new TableHealth(small, skew, rhythm(table, snapshots), List.copyOf(findings));
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

  /** Files that the table names and that are not there, or have another size. */
  private static void lost(LakeTable table, List<Finding> findings) {
    List<String> lost = new ArrayList<>();
    long rows = 0;
    for (FileInfo f : table.files()) {
      long there = table.place(f.path()).stat().map(Storage.Stat::sizeBytes).orElse(-1L);
      if (there != f.sizeBytes()) {
        lost.add(there < 0 ? f.path() : "%s (cut, or of another size)".formatted(f.path()));
        rows += f.rows();
      }
    }
    if (!lost.isEmpty()) {
      findings.add(
          new Finding(
              "lost-files",
              "%,d of %,d files with %,d rows are lost or damaged, first %s"
                  .formatted(lost.size(), table.fileCount(), rows, lost.get(0)),
              "Restore them from a backup, or go back to a state that has none of them: yardage table roll-back "
                  + table.name()
                  + " SNAPSHOT"));
    }
  }

  private static Optional<Rhythm> rhythm(LakeTable table, List<SnapshotInfo> snapshots) {
    List<Instant> written =
        snapshots.stream()
            .filter(s -> s.run().isPresent())
            .map(SnapshotInfo::at)
            .sorted(Comparator.reverseOrder())
            .limit(20)
            .toList();
    if (written.size() < 4) {
      return Optional.empty();
    }
    List<Duration> intervals = new ArrayList<>();
    for (int i = 1; i < written.size(); i++) {
      intervals.add(Duration.between(written.get(i), written.get(i - 1)));
    }
    intervals.sort(Comparator.naturalOrder());
    Duration usual = intervals.get(intervals.size() / 2);
    // Tables that a person writes by hand have no usual interval worth a warning.
    return usual.compareTo(Duration.ofMinutes(1)) < 0
        ? Optional.empty()
        : Optional.of(new Rhythm(usual, written.get(0), table.lastWriter()));
  }

  private static String words(Duration d) {
    if (d.toMinutes() < 120) {
      return d.toMinutes() + " minutes";
    }
    return d.toHours() < 48 ? d.toHours() + " hours" : d.toDays() + " days";
  }
}

package yardage.core.pipeline.compile;

import java.util.List;
import java.util.Optional;
import java.util.function.ToLongFunction;
import yardage.core.exec.Sizes;
import yardage.core.lake.LakeTable;
import yardage.core.lake.LakeTable.SnapshotInfo;
import yardage.core.lake.WriteMode;
import yardage.core.pipeline.read.Verb;

/**
 * What a run of a write is expected to make, from the medians of what the last ones made.
 *
 * @param runs how many earlier writes it rests on
 * @param partitions how many a run writes to
 * @param files how many a run makes
 * @param fileBytes the size of one
 * @param targetBytes the size that files aim for
 */
public record WriteForecast(
    String step,
    String table,
    int runs,
    long partitions,
    long files,
    long fileBytes,
    long targetBytes) {
  private static final int RUNS = 10;
  private static final long MANY_FILES = 50;

  /** Files smaller than this share of the size to aim for are too small when there are many. */
  private static final int TOO_SMALL = 16;

  /** Empty when the table is not there, or no run has written it in this way. */
  static Optional<WriteForecast> of(String step, Verb.Write write, Optional<LakeTable> table) {
    List<SnapshotInfo> last =
        table.stream()
            .flatMap(t -> t.snapshots().stream())
            .filter(s -> s.run().isPresent() && s.addedFiles() > 0)
            .limit(RUNS)
            .toList();
    if (last.isEmpty() || write.mode() == WriteMode.DELETE) {
      return Optional.empty();
    }
    long files = median(last, SnapshotInfo::addedFiles);
    return Optional.of(
        new WriteForecast(
            step,
            write.table().toString(),
            last.size(),
            Math.min(files, median(last, SnapshotInfo::changedPartitions)),
            files,
            median(last, SnapshotInfo::addedBytes) / Math.max(1, files),
            write.files().targetBytes()));
  }

  private static long median(List<SnapshotInfo> of, ToLongFunction<SnapshotInfo> what) {
    long[] sorted = of.stream().mapToLong(what).sorted().toArray();
    return sorted[sorted.length / 2];
  }

  boolean isScattered() {
    return files >= MANY_FILES && fileBytes < targetBytes / TOO_SMALL;
  }

  /** One sentence, without its full stop. */
  public String words() {
    return "A run is expected to write %,d %s of %s in %,d %s of %s, where files aim for %s (by the last %d)"
        .formatted(
            files,
            files == 1 ? "file" : "files",
            Sizes.text(fileBytes),
            partitions,
            partitions == 1 ? "partition" : "partitions",
            table,
            Sizes.text(targetBytes),
            runs);
  }
}

package yardage.core.lake;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;
import org.apache.iceberg.BaseTable;
import org.apache.iceberg.ExpireSnapshots;
import org.apache.iceberg.ManifestFile;
import org.apache.iceberg.ManifestFiles;
import org.apache.iceberg.Snapshot;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.io.CloseableIterable;
import yardage.core.storage.Address;
import yardage.core.storage.Place;
import yardage.core.storage.Storage;

/**
 * Forgets a table's old states, and removes the files that no state has. A file goes only when it
 * was there before the staging logs of runs at work were read, none of them names it, and no state
 * of the table has it that was read after them: a run that publishes meanwhile loses nothing.
 */
public final class Expiry {
  /** What went. */
  public record Result(int snapshots, int files, long sizeBytes) {}

  private Expiry() {}

  /**
   * Forgets all states but the current one, the newest {@code keep}, and those that are not older.
   *
   * @param sweepBefore files that are younger stay, though no state has them
   * @param run unlike that of any run, for the files that are made
   * @param swap moves the pointer, or throws {@link Publication.ConflictException}
   */
  public static Result expire(
      Lake lake,
      TableName name,
      int keep,
      Instant olderThan,
      Instant sweepBefore,
      String run,
      Consumer<List<PointerChange>> swap) {
    List<Long> old = expirable(lake.existing(name), keep, olderThan);
    if (!old.isEmpty()) {
      lake.change(name, run, swap, ops -> forget(name, old, ops));
    }
    Result swept = sweep(lake, name, sweepBefore);
    return new Result(old.size(), swept.files(), swept.sizeBytes());
  }

  private static List<Long> expirable(LakeTable table, int keep, Instant olderThan) {
    List<Snapshot> newestFirst = new ArrayList<>(table.metadata().snapshots());
    newestFirst.sort(Comparator.comparing(Snapshot::sequenceNumber).reversed());
    List<Long> out = new ArrayList<>();
    for (int i = 0; i < newestFirst.size(); i++) {
      Snapshot s = newestFirst.get(i);
      boolean current = table.snapshotId().equals(Optional.of(s.snapshotId()));
      if (i >= keep && !current && s.timestampMillis() < olderThan.toEpochMilli()) {
        out.add(s.snapshotId());
      }
    }
    return out;
  }

  private static void forget(TableName name, List<Long> snapshots, StagedOperations ops) {
    ExpireSnapshots expire = new BaseTable(ops, name.toString()).expireSnapshots();
    expire.cleanExpiredFiles(false);
    for (long id : snapshots) {
      // Another may have forgotten it meanwhile, or have rolled back to it.
      Snapshot current = ops.current().currentSnapshot();
      if (ops.current().snapshot(id) != null && current.snapshotId() != id) {
        expire.expireSnapshotId(id);
      }
    }
    expire.commit();
  }

  /**
   * Removes the files that no state of a table has, and none that is in the bin.
   *
   * @param olderThan younger files stay
   * @throws LakeException when a file that the table needs is not among those that were found:
   *     whatever the reason (a link, a moved folder, a lost file), what else was found cannot be
   *     told from what is needed, so nothing is removed
   */
  static Result sweep(Lake lake, TableName name, Instant olderThan) {
    List<Storage.Stat> found = lake.tableFolder(name).listAll();
    Set<String> staged = lake.stagedFiles();
    Set<String> needed = new HashSet<>();
    lake.pointer(name).ifPresent(at -> addFiles(lake, lake.load(name, at), at, needed));
    lake.binned(name).forEach(at -> addFiles(lake, lake.load(name, at), at, needed));
    List<String> missing = missing(needed, found);
    if (!missing.isEmpty()) {
      // A run may have published since the listing.
      missing = missing(needed, lake.tableFolder(name).listAll());
    }
    if (!missing.isEmpty()) {
      throw new LakeException(
          "Nothing of table [%s] was removed: %,d of the %,d files that it needs %s not found in its folder, first [%s]. Restore them from a backup; if the lake was moved or linked, start it with: ./yardage start --moved"
              .formatted(
                  name,
                  missing.size(),
                  needed.size(),
                  missing.size() == 1 ? "was" : "were",
                  missing.get(0)));
    }
    Set<String> kept = new HashSet<>(staged);
    kept.addAll(needed);
    lake.pointer(name).ifPresent(at -> kept.add(MetadataNames.hintFile(new Address(at)).text()));
    int files = 0;
    long bytes = 0;
    for (Storage.Stat f : found) {
      if (!kept.contains(f.address().text())
          && f.modified().isBefore(olderThan)
          && lake.root().at(f.address()).delete()) {
        files++;
        bytes += f.sizeBytes();
      }
    }
    // A run may have made a folder and not yet its file, so folders of tables that are there stay.
    if (lake.pointer(name).isEmpty() && lake.binned(name).isEmpty()) {
      removeEmptyFolders(lake.tableFolder(name));
    }
    return new Result(0, files, bytes);
  }

  private static List<String> missing(Set<String> needed, List<Storage.Stat> found) {
    Set<String> there = new HashSet<>();
    found.forEach(f -> there.add(f.address().text()));
    return needed.stream().filter(n -> !there.contains(n)).sorted().toList();
  }

  private static void addFiles(
      Lake lake, LakeTable table, String metadataLocation, Set<String> out) {
    StagedFiles io = new StagedFiles(lake.storage());
    TableMetadata metadata = table.metadata();
    out.add(metadataLocation);
    Set<String> manifests = new HashSet<>();
    for (Snapshot s : metadata.snapshots()) {
      out.add(s.manifestListLocation());
      for (ManifestFile manifest : s.allManifests(io)) {
        if (manifests.add(manifest.path())) {
          try (CloseableIterable<String> paths =
              ManifestFiles.readPaths(manifest, io, metadata.specsById())) {
            paths.forEach(out::add);
          } catch (IOException e) {
            throw new UncheckedIOException(e);
          }
        }
      }
    }
    out.addAll(manifests);
    metadata.statisticsFiles().forEach(file -> out.add(file.path()));
  }

  /** A store without folders has none to remove. */
  private static void removeEmptyFolders(Place folder) {
    if (!folder.isFolder()) {
      return;
    }
    for (Address deeper : folder.list().folders()) {
      removeEmptyFolders(folder.at(deeper));
    }
    Storage.Listing left = folder.list();
    if (left.objects().isEmpty() && left.folders().isEmpty()) {
      try {
        folder.storage().delete(folder.address());
      } catch (IOException e) {
        // A run put a file there meanwhile.
      }
    }
  }
}

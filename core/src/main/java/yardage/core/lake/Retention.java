package yardage.core.lake;

import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.List;
import java.util.Set;
import java.util.stream.Collectors;
import org.apache.iceberg.BaseTable;
import org.apache.iceberg.ExpireSnapshots;
import org.apache.iceberg.Snapshot;
import org.apache.iceberg.SnapshotRef;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.TableMetadata.MetadataLogEntry;
import org.apache.iceberg.TableProperties;

/**
 * How much of its past a table keeps without being told. Each metadata file lists every state, so a
 * table that is written every minute and keeps all of them writes more of its past than of its
 * rows. The data files of states that are forgotten go with the next sweep.
 */
final class Retention {
  /** States that are kept however old they are. */
  static final int KEPT = 100;

  /** States that are kept however young they are; more are forgotten, the oldest first. */
  static final int MOST = 300;

  /** Past {@link #KEPT}, a state this young stays. */
  static final Duration YOUNG = Duration.ofHours(1);

  /** Old metadata files that are kept, for readers that opened one a moment ago. */
  static final int METADATA_FILES = 50;

  private Retention() {}

  /** Forgets what is past the bounds, as one more commit of a publication. */
  static void apply(TableName name, StagedOperations ops, Instant now) {
    List<Snapshot> newestFirst = new ArrayList<>(ops.current().snapshots());
    if (newestFirst.size() <= KEPT) {
      return;
    }
    newestFirst.sort(Comparator.comparing(Snapshot::sequenceNumber).reversed());
    Set<Long> named =
        ops.current().refs().values().stream()
            .map(SnapshotRef::snapshotId)
            .collect(Collectors.toSet());
    List<Long> old = new ArrayList<>();
    for (int i = KEPT; i < newestFirst.size(); i++) {
      Snapshot s = newestFirst.get(i);
      boolean young = s.timestampMillis() > now.minus(YOUNG).toEpochMilli();
      if (!named.contains(s.snapshotId()) && (!young || i >= MOST)) {
        old.add(s.snapshotId());
      }
    }
    if (!old.isEmpty()) {
      ExpireSnapshots expire = new BaseTable(ops, name.toString()).expireSnapshots();
      expire.cleanExpiredFiles(false);
      old.forEach(expire::expireSnapshotId);
      expire.commit();
    }
  }

  /** Has a table keep a bounded number of its old metadata files. */
  static void bound(java.util.Map<String, String> properties) {
    properties.put(TableProperties.METADATA_PREVIOUS_VERSIONS_MAX, String.valueOf(METADATA_FILES));
  }

  /** The metadata files that one state lists and a later one does not any more. */
  static List<String> obsolete(TableMetadata before, TableMetadata after) {
    Set<String> listed = new HashSet<>();
    after.previousFiles().forEach(f -> listed.add(f.file()));
    return before.previousFiles().stream()
        .map(MetadataLogEntry::file)
        .filter(f -> !listed.contains(f))
        .toList();
  }
}

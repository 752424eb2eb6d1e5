package yardage.core.lake;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.HashMap;
import java.util.HashSet;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;
import org.apache.iceberg.ManifestFile;
import org.apache.iceberg.ManifestFiles;
import org.apache.iceberg.RewriteTablePathUtil;
import org.apache.iceberg.Snapshot;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.TableMetadataParser;
import org.apache.iceberg.io.CloseableIterable;
import org.apache.iceberg.io.FileIO;
import org.apache.iceberg.io.InputFile;
import org.apache.iceberg.io.OutputFile;
import yardage.core.storage.Address;
import yardage.core.storage.Place;

/**
 * Gives tables the paths of where their lake is now. The table format wants full paths in its
 * metadata, so a lake that was moved, copied, or used through a link names files where they are
 * not, or by names that no listing gives.
 *
 * <p>Manifests and their lists are written again under their own names, each moved into place
 * whole; those that have the new paths already are left alone, so this can break off anywhere and
 * be done again. The pointer is the caller's to move. Data files are not touched.
 */
public final class Relocation {
  private static final String TABLES = "/tables/";

  private final Lake lake;
  private final String from;
  private final String to;
  private final FileIO io = new MovedFiles();
  private final Map<String, Long> lengths = new HashMap<>();

  private Relocation(Lake lake, String from) {
    this.lake = lake;
    this.from = from;
    this.to = lake.root().toString();
  }

  /**
   * The root of the lake that a table's metadata names.
   *
   * @return empty when the location is no table's of any lake
   */
  public static Optional<String> rootOf(TableName table, String metadataLocation) {
    int at =
        metadataLocation.lastIndexOf(
            "%s%s/%s/metadata/".formatted(TABLES, table.namespace(), table.name()));
    return at < 0 ? Optional.empty() : Optional.of(metadataLocation.substring(0, at));
  }

  /**
   * Writes a table's metadata for where the lake is now.
   *
   * @param metadataLocation of the table, below {@code from}
   * @param from the root that it names
   * @return the new metadata's location
   */
  public static String move(Lake lake, String metadataLocation, String from) {
    return new Relocation(lake, from).move(metadataLocation);
  }

  private String move(String metadataLocation) {
    TableMetadata metadata = TableMetadataParser.read(io, metadataLocation);
    Set<Long> snapshots =
        metadata.snapshots().stream().map(Snapshot::snapshotId).collect(Collectors.toSet());
    Set<String> manifests = new HashSet<>();
    for (Snapshot snapshot : metadata.snapshots()) {
      for (ManifestFile manifest : snapshot.allManifests(io)) {
        if (manifests.add(here(manifest.path()))) {
          manifest(metadata, manifest, snapshots);
        }
      }
    }
    for (Snapshot snapshot : metadata.snapshots()) {
      list(metadata, snapshot);
    }
    TableMetadata moved =
        metadata.location().startsWith(from + TABLES)
            ? RewriteTablePathUtil.replacePaths(metadata, from, to)
            : metadata;
    String location = MetadataNames.next(moved, Optional.of(metadataLocation));
    TableMetadataParser.write(moved, new StoredFile(place(location)));
    return location;
  }

  private void manifest(TableMetadata metadata, ManifestFile manifest, Set<Long> snapshots) {
    Place place = place(manifest.path());
    try {
      if (!isMoved(metadata, manifest)) {
        Place part = part(place);
        RewriteTablePathUtil.rewriteDataManifest(
            manifest,
            snapshots,
            new StoredFile(part),
            io,
            metadata.formatVersion(),
            metadata.specsById(),
            from,
            to);
        part.moveTo(place);
      }
      lengths.put(manifest.path(), place.stat().orElseThrow().sizeBytes());
    } catch (IOException e) {
      throw failed(place, e);
    }
  }

  private boolean isMoved(TableMetadata metadata, ManifestFile manifest) throws IOException {
    try (CloseableIterable<String> paths =
        ManifestFiles.readPaths(manifest, io, metadata.specsById())) {
      for (String path : paths) {
        return !path.startsWith(from + TABLES);
      }
      return true;
    }
  }

  private void list(TableMetadata metadata, Snapshot snapshot) {
    boolean moved =
        snapshot.allManifests(io).stream().noneMatch(m -> m.path().startsWith(from + TABLES));
    if (moved) {
      return;
    }
    Place place = place(snapshot.manifestListLocation());
    try {
      Place part = part(place);
      RewriteTablePathUtil.rewriteManifestList(
          snapshot, io, metadata, lengths, from, to, place.parent().toString(), part.toString());
      part.moveTo(place);
    } catch (IOException e) {
      throw failed(place, e);
    }
  }

  private static Place part(Place place) {
    Place part = place.sibling(place.name() + ".moved.avro");
    part.delete();
    return part;
  }

  private Place place(String path) {
    return lake.root().at(new Address(here(path)));
  }

  private String here(String path) {
    return path.startsWith(from + TABLES) ? to + path.substring(from.length()) : path;
  }

  private static UncheckedIOException failed(Place file, IOException e) {
    return new UncheckedIOException(
        "Cannot write [%s] again for the lake's new place: %s".formatted(file, e.getMessage()), e);
  }

  /** Finds files below the former root where they are now. */
  private final class MovedFiles implements FileIO {
    @Override
    public InputFile newInputFile(String path) {
      return new StoredFile(place(path));
    }

    @Override
    public OutputFile newOutputFile(String path) {
      return new StoredFile(place(path));
    }

    @Override
    public void deleteFile(String path) {
      throw new UnsupportedOperationException("Nothing is removed when a lake is moved: " + path);
    }
  }
}

package yardage.core.lake;

import java.util.Optional;
import org.apache.iceberg.LocationProviders;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.TableMetadataParser;
import org.apache.iceberg.TableOperations;
import org.apache.iceberg.io.FileIO;
import org.apache.iceberg.io.LocationProvider;

/**
 * One table inside a publication. Commits stay in memory, however many the publication makes of one
 * table; {@link #write} makes the one metadata file of it, which nobody sees until the pointer
 * moves.
 */
final class StagedOperations implements TableOperations {
  private final FileIO io;
  private final Optional<String> before;
  private TableMetadata current;

  /**
   * @param before where the table's metadata is now; empty for a new table
   */
  StagedOperations(FileIO io, TableMetadata current, Optional<String> before) {
    this.io = io;
    this.current = current;
    this.before = before;
  }

  @Override
  public TableMetadata current() {
    return current;
  }

  @Override
  public TableMetadata refresh() {
    return current;
  }

  @Override
  public void commit(TableMetadata base, TableMetadata metadata) {
    current = metadata;
  }

  /** Writes what was committed; gives its location. */
  String write() {
    String location = MetadataNames.next(current, before);
    TableMetadataParser.write(current, io.newOutputFile(location));
    return location;
  }

  @Override
  public FileIO io() {
    return io;
  }

  @Override
  public String metadataFileLocation(String fileName) {
    return current.location() + "/metadata/" + fileName;
  }

  @Override
  public LocationProvider locationProvider() {
    return LocationProviders.locationsFor(current.location(), current.properties());
  }
}

package yardage.core.lake;

import java.util.UUID;
import org.apache.iceberg.LocationProviders;
import org.apache.iceberg.TableMetadata;
import org.apache.iceberg.TableMetadataParser;
import org.apache.iceberg.TableOperations;
import org.apache.iceberg.io.FileIO;
import org.apache.iceberg.io.LocationProvider;

/**
 * One table inside a publication: commits write metadata files, and nobody else sees them until the
 * pointer moves.
 */
final class StagedOperations implements TableOperations {
  private final FileIO io;
  private TableMetadata current;

  StagedOperations(FileIO io, TableMetadata current) {
    this.io = io;
    this.current = current;
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
    String location = metadata.location() + "/metadata/" + UUID.randomUUID() + ".metadata.json";
    TableMetadataParser.write(metadata, io.newOutputFile(location));
    current = TableMetadataParser.read(io, location);
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

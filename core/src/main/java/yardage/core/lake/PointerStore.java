package yardage.core.lake;

import java.util.List;
import java.util.Optional;

/**
 * Where each table's current metadata file is; kept outside the lake, so that several pointers can
 * change at once.
 */
public interface PointerStore {
  Optional<String> metadataLocation(TableName table);

  List<TableName> tables();

  /** Metadata files of tables that had this name and are in the bin. */
  default List<String> binned(TableName table) {
    return List.of();
  }
}

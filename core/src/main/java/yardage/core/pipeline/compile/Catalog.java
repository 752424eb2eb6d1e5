package yardage.core.pipeline.compile;

import java.util.List;
import java.util.Optional;
import yardage.core.column.Schema;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.lake.WriteMode;
import yardage.core.pipeline.read.PartDocument;

/** The feeds and tables that a pipeline may name. */
public interface Catalog {
  Optional<FeedDefinition> feed(String name);

  List<String> feeds();

  Optional<LakeTable> table(TableName name);

  List<TableName> tables();

  /** A table that is not there yet, as a pipeline will write it. */
  record Planned(String pipeline, Schema schema) {}

  /**
   * What a table will be that is not there yet; empty where no document that is known writes it.
   */
  default Optional<Planned> planned(TableName table) {
    return Optional.empty();
  }

  /** A write of another pipeline. */
  record OtherWrite(String pipeline, WriteMode mode) {}

  /** Who else writes a table, besides a pipeline. */
  default List<OtherWrite> writers(TableName table, String besides) {
    return List.of();
  }

  default Optional<PartDocument> part(String name) {
    return Optional.empty();
  }

  default List<String> parts() {
    return List.of();
  }
}

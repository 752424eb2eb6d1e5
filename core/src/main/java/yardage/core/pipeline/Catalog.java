package yardage.core.pipeline;

import java.util.List;
import java.util.Optional;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;

/** The feeds and tables that a pipeline may name. */
public interface Catalog {
  Optional<FeedDefinition> feed(String name);

  List<String> feeds();

  Optional<LakeTable> table(TableName name);

  List<TableName> tables();

  default Optional<PartDocument> part(String name) {
    return Optional.empty();
  }

  default List<String> parts() {
    return List.of();
  }
}

package yardage.core.pipeline.compile;

import java.util.List;
import java.util.Optional;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.read.PartDocument;

/** A catalog that says of most things what another one says. */
interface CatalogOver extends Catalog {
  /** The other one. */
  Catalog now();

  @Override
  default Optional<FeedDefinition> feed(String name) {
    return now().feed(name);
  }

  @Override
  default List<String> feeds() {
    return now().feeds();
  }

  @Override
  default Optional<LakeTable> table(TableName name) {
    return now().table(name);
  }

  @Override
  default List<TableName> tables() {
    return now().tables();
  }

  @Override
  default Optional<Planned> planned(TableName table) {
    return now().planned(table);
  }

  @Override
  default List<OtherWrite> writers(TableName table, String besides) {
    return now().writers(table, besides);
  }

  @Override
  default Optional<PartDocument> part(String name) {
    return now().part(name);
  }

  @Override
  default List<String> parts() {
    return now().parts();
  }
}

package yardage.core.pipeline.compile;

import java.util.List;
import java.util.Optional;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.read.PartDocument;

/** A catalog that is another one but for what it overrides. */
public interface CatalogWith extends Catalog {
  Catalog others();

  @Override
  default Optional<FeedDefinition> feed(String name) {
    return others().feed(name);
  }

  @Override
  default List<String> feeds() {
    return others().feeds();
  }

  @Override
  default Optional<LakeTable> table(TableName name) {
    return others().table(name);
  }

  @Override
  default List<TableName> tables() {
    return others().tables();
  }

  @Override
  default Optional<Planned> planned(TableName name) {
    return others().planned(name);
  }

  @Override
  default List<OtherWrite> writers(TableName table, String besides) {
    return others().writers(table, besides);
  }

  @Override
  default Optional<PartDocument> part(String name) {
    return others().part(name);
  }

  @Override
  default List<String> parts() {
    return others().parts();
  }
}

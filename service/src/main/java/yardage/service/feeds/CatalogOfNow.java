package yardage.service.feeds;

import java.util.List;
import java.util.Optional;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.read.PartDocument;
import yardage.service.lake.LakeService;

/** The newest feeds and parts, and all tables as of one moment. */
public record CatalogOfNow(FeedService feedService, Lake lake) implements Catalog {
  public static CatalogOfNow of(FeedService feeds, LakeService lake) {
    return new CatalogOfNow(feeds, lake.asOfNow());
  }

  @Override
  public Optional<FeedDefinition> feed(String name) {
    return feedService.feed(name);
  }

  @Override
  public List<String> feeds() {
    return feedService.feeds();
  }

  @Override
  public Optional<PartDocument> part(String name) {
    return feedService.part(name);
  }

  @Override
  public List<String> parts() {
    return feedService.parts();
  }

  @Override
  public Optional<LakeTable> table(TableName name) {
    return lake.table(name);
  }

  @Override
  public List<TableName> tables() {
    return lake.tables();
  }
}

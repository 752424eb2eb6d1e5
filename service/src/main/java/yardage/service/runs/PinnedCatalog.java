package yardage.service.runs;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.Catalog;
import yardage.core.pipeline.PartDocument;
import yardage.service.feeds.FeedService;

/**
 * Feeds and parts at the versions that a run was asked with; tables as they are.
 *
 * @param versions by the feed's name, or by {@link #keyOfPart}
 */
record PinnedCatalog(FeedService feedService, Lake lake, Map<String, Integer> versions)
    implements Catalog {
  private static final String PART = "part ";

  /** What a part's version is kept under; no feed has a blank in its name. */
  static String keyOfPart(String name) {
    return PART + name;
  }

  @Override
  public Optional<FeedDefinition> feed(String name) {
    return Optional.ofNullable(versions.get(name)).flatMap(v -> feedService.feed(name, v));
  }

  @Override
  public List<String> feeds() {
    return versions.keySet().stream().filter(n -> !n.startsWith(PART)).toList();
  }

  @Override
  public Optional<PartDocument> part(String name) {
    return Optional.ofNullable(versions.get(PART + name)).flatMap(v -> feedService.part(name, v));
  }

  @Override
  public List<String> parts() {
    return versions.keySet().stream()
        .filter(n -> n.startsWith(PART))
        .map(n -> n.substring(PART.length()))
        .toList();
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

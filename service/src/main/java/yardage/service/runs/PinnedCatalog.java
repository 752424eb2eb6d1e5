package yardage.service.runs;

import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Supplier;
import yardage.core.feed.FeedDefinition;
import yardage.core.lake.Lake;
import yardage.core.lake.LakeTable;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.Catalog;
import yardage.core.pipeline.read.PartDocument;
import yardage.service.feeds.FeedService;

/**
 * Feeds and parts at the versions that a run was asked with, and tables as they are in the lake.
 * Each is read once: a version does not change, and a run must not need the database at its end for
 * what it read at its beginning.
 */
final class PinnedCatalog implements Catalog {
  private static final String PART = "part ";

  private final FeedService feedService;
  private final Lake lake;
  private final Map<String, Integer> versions;
  private final Patience patience;
  private final Map<String, Optional<FeedDefinition>> feeds = new ConcurrentHashMap<>();
  private final Map<String, Optional<PartDocument>> parts = new ConcurrentHashMap<>();

  /** How a read of the database is done: at once, or again until it succeeds. */
  interface Patience {
    Patience NONE = Supplier::get;

    <T> T read(Supplier<T> action);
  }

  /**
   * @param versions by the feed's name, or by {@link #keyOfPart}
   */
  PinnedCatalog(
      FeedService feedService, Lake lake, Map<String, Integer> versions, Patience patience) {
    this.feedService = feedService;
    this.lake = lake;
    this.versions = Map.copyOf(versions);
    this.patience = patience;
  }

  /** What a part's version is kept under; no feed has a blank in its name. */
  static String keyOfPart(String name) {
    return PART + name;
  }

  @Override
  public Optional<FeedDefinition> feed(String name) {
    return feeds.computeIfAbsent(
        name,
        n ->
            Optional.ofNullable(versions.get(n))
                .flatMap(v -> patience.read(() -> feedService.feed(n, v))));
  }

  @Override
  public List<String> feeds() {
    return versions.keySet().stream().filter(n -> !n.startsWith(PART)).toList();
  }

  @Override
  public Optional<PartDocument> part(String name) {
    return parts.computeIfAbsent(
        name,
        n ->
            Optional.ofNullable(versions.get(PART + n))
                .flatMap(v -> patience.read(() -> feedService.part(n, v))));
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

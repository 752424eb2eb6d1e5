package yardage.service.runs;

import java.util.HashMap;
import java.util.Map;
import yardage.core.feed.KnownFiles;
import yardage.core.feed.Quarantine;
import yardage.service.feeds.FeedService;

/** What the ledger knows of feeds' files for one pipeline, asked for when it is needed. */
final class LedgerFiles implements KnownFiles {
  private final String pipeline;
  private final RunMapper mapper;
  private final FeedService feeds;
  private final PinnedCatalog.Patience patience;

  LedgerFiles(
      String pipeline, RunMapper mapper, FeedService feeds, PinnedCatalog.Patience patience) {
    this.pipeline = pipeline;
    this.mapper = mapper;
    this.feeds = feeds;
    this.patience = patience;
  }

  @Override
  public Map<String, Known> of(String feed) {
    Map<String, Known> out = new HashMap<>();
    patience
        .read(() -> mapper.knownFiles(pipeline, feed))
        .forEach(f -> out.put(f.path(), new Known(f.sizeBytes(), f.modifiedAt(), f.contentHash())));
    return out;
  }

  @Override
  public Quarantine inQuarantine(String feed) {
    return patience.read(() -> feeds.quarantine(feed));
  }

  @Override
  public Map<String, Earlier> earlier(String feed) {
    Map<String, Earlier> out = new HashMap<>();
    patience
        .read(() -> mapper.earlier(pipeline, feed))
        .forEach(e -> out.put(e.contentHash(), new Earlier(e.path(), e.sizeBytes())));
    return out;
  }
}

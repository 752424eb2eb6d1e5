package yardage.service.feeds;

import java.time.Clock;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.springframework.http.HttpStatus;
import org.springframework.stereotype.Service;
import org.springframework.transaction.annotation.Transactional;
import yardage.core.feed.FeedDefinition;
import yardage.core.feed.FeedFile;
import yardage.core.feed.FileDiscovery;
import yardage.core.feed.Quarantine;
import yardage.service.lake.LakeService;
import yardage.service.web.ApiException;

/** Puts files of feeds into quarantine, where no run reads them, and gives them back. */
@Service
public class QuarantineService {
  private static final int MOST_WHY_CHARS = 2_000;

  private final QuarantineMapper mapper;
  private final LakeService lake;
  private final Clock clock;

  QuarantineService(QuarantineMapper mapper, LakeService lake, Clock clock) {
    this.mapper = mapper;
    this.lake = lake;
    this.clock = clock;
  }

  public Quarantine of(String feed) {
    return of(kept(feed));
  }

  static Quarantine of(List<QuarantineMapper.Kept> kept) {
    Map<String, Quarantine.Held> held = new HashMap<>();
    kept.forEach(
        k ->
            held.put(
                k.path(), new Quarantine.Held(k.path(), k.sizeBytes(), k.modifiedAt(), k.why())));
    return new Quarantine(held);
  }

  List<QuarantineMapper.Kept> kept(String feed) {
    return mapper.of(feed);
  }

  /** Puts one file there, as it was found. */
  public void put(String feed, FeedFile file, String why, String by) {
    mapper.put(
        feed,
        new QuarantineMapper.Kept(
            file.path(),
            file.sizeBytes(),
            file.modified(),
            why.length() <= MOST_WHY_CHARS ? why : why.substring(0, MOST_WHY_CHARS) + "…",
            by,
            clock.instant()));
  }

  /**
   * Puts files there by their paths: all or none.
   *
   * @throws ApiException naming those that are no files of the feed
   */
  @Transactional
  public void put(FeedDefinition feed, List<String> paths, String why, String by) {
    Map<String, FileDiscovery.Found> there = new HashMap<>();
    FileDiscovery.find(lake.lake().raw(), feed).forEach(f -> there.put(f.path(), f));
    List<String> absent = new ArrayList<>(paths);
    absent.removeAll(there.keySet());
    if (paths.isEmpty() || !absent.isEmpty()) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "not-found",
          paths.isEmpty()
              ? "No file is named that should go into quarantine"
              : "Feed [%s] has no file [%s]".formatted(feed.name(), String.join("], [", absent)),
          "See its files with: yardage feed files " + feed.name());
    }
    String reason = why.isBlank() ? "put there by " + by : why.strip();
    paths.forEach(p -> put(feed.name(), there.get(p).inPlan(), reason, by));
  }

  /**
   * Gives files back: all or none.
   *
   * @throws ApiException naming those that are not in quarantine
   */
  @Transactional
  public void release(String feed, List<String> paths) {
    List<String> absent = new ArrayList<>(paths);
    absent.removeAll(kept(feed).stream().map(QuarantineMapper.Kept::path).toList());
    if (paths.isEmpty() || !absent.isEmpty()) {
      throw new ApiException(
          HttpStatus.NOT_FOUND,
          "not-found",
          paths.isEmpty()
              ? "No file is named that should be given back"
              : "Feed [%s] has no file [%s] in quarantine"
                  .formatted(feed, String.join("], [", absent)),
          "See its files with: yardage feed files " + feed);
    }
    paths.forEach(p -> mapper.release(feed, p));
  }
}

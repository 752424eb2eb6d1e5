package yardage.core.feed;

import java.time.Instant;
import java.util.Map;

/** What the intake ledger knows of a feed's files for one pipeline. */
@FunctionalInterface
public interface KnownFiles {
  /** The files taken in before, by path. */
  Map<String, Known> of(String feed);

  /** Contents that files had in earlier intakes and have not any more, by hash. */
  default Map<String, Earlier> earlier(String feed) {
    return Map.of();
  }

  /** The feed's files that nobody reads for now. */
  default Quarantine inQuarantine(String feed) {
    return Quarantine.NONE;
  }

  /** What a file held, whose name and size were these. */
  record Earlier(String path, long sizeBytes) {}

  /** A file as it was when it was taken in. */
  record Known(long sizeBytes, Instant modified, String contentHash) {}
}

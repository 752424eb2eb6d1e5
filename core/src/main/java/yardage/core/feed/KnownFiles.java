package yardage.core.feed;

import java.time.Instant;
import java.util.Map;

/** What the intake ledger knows of a feed's files for one pipeline. */
@FunctionalInterface
public interface KnownFiles {
  /** The files taken in before, by path. */
  Map<String, Known> of(String feed);

  /** A file as it was when it was taken in. */
  record Known(long sizeBytes, Instant modified, String contentHash) {}
}

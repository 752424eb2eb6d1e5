package yardage.core.pipeline;

import java.time.Instant;
import java.util.Map;

/** What the intake ledger knows of a feed's files for one pipeline. */
@FunctionalInterface
public interface KnownFiles {
  /** A file taken in before. */
  record Known(long sizeBytes, Instant modified, String sha256) {}

  /** The files by path. */
  Map<String, Known> of(String feed);
}

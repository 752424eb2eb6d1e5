package yardage.core.feed;

import java.time.Duration;
import java.time.Instant;
import java.util.List;
import java.util.concurrent.locks.LockSupport;
import yardage.core.exec.CancelToken;
import yardage.core.lake.RawFolders;

/**
 * Finds a feed's files once they are still. A file that changed a moment ago is waited for, where
 * the feed's {@code still-for} is short; one that goes on changing is left for a later run by
 * {@link IntakeChoice}.
 */
public final class StillFiles {
  /** Longer than this nobody waits inside a run. */
  private static final Duration LONGEST_WAIT = Duration.ofSeconds(5);

  private static final Duration LOOK_EVERY = Duration.ofMillis(50);

  private StillFiles() {}

  public static List<FileDiscovery.Found> find(
      RawFolders raw, FeedDefinition feed, CancelToken cancel) {
    List<FileDiscovery.Found> found = FileDiscovery.find(raw, feed);
    Duration still = feed.intake().stillFor();
    Duration wait = untilStill(found, still);
    if (wait.isZero() || still.compareTo(LONGEST_WAIT) > 0) {
      return found;
    }
    for (Instant end = Instant.now().plus(wait); Instant.now().isBefore(end); ) {
      cancel.check();
      LockSupport.parkNanos(LOOK_EVERY.toNanos());
    }
    return FileDiscovery.find(raw, feed);
  }

  /** How long until the youngest file has been still for so long; replays are made whole. */
  private static Duration untilStill(List<FileDiscovery.Found> found, Duration still) {
    Instant now = Instant.now();
    return found.stream()
        .filter(f -> !Replays.isReplay(f.path()))
        .map(f -> Duration.between(now, f.modified().plus(still)))
        // A clock that is ahead elsewhere is not waited for.
        .filter(d -> !d.isNegative() && d.compareTo(still) <= 0)
        .max(Duration::compareTo)
        .orElse(Duration.ZERO);
  }
}

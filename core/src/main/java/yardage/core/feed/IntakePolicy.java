package yardage.core.feed;

import java.time.Duration;
import java.util.Optional;

/**
 * Which files a run takes, and in which order.
 *
 * @param onlyNew whether a run takes only files that its pipeline has not taken before, or all of
 *     them each time
 * @param order the order in which files are read and their rows stand
 * @param mostFiles at most so many files in a run
 * @param mostBytes at most so many bytes in a run, but always one file
 * @param stillFor a file that changed less than this ago waits for a later run
 * @param replaced what happens to a file with other contents than when it was taken in
 * @param doneFile the file whose presence says that another is whole; files without it wait
 * @param repeated what happens to a file whose contents were taken in under another name
 */
public record IntakePolicy(
    boolean onlyNew,
    Order order,
    long mostFiles,
    long mostBytes,
    Duration stillFor,
    Again replaced,
    Again repeated,
    Optional<DoneFile> doneFile) {
  /** Somebody who writes a file slowly pauses for less than this. */
  public static final Duration STILL_FOR = Duration.ofSeconds(2);

  public static final IntakePolicy DEFAULT =
      new IntakePolicy(
          true,
          Order.NAME,
          Long.MAX_VALUE,
          Long.MAX_VALUE,
          STILL_FOR,
          Again.STOP,
          Again.SKIP,
          Optional.empty());

  /** By what files are ordered. */
  public enum Order {
    NAME,
    OLDEST,
    NEWEST
  }

  /** What happens to a file that was there before in some way. */
  public enum Again {
    STOP,
    TAKE,
    SKIP,
    /** Its rows take the place of those that came from its earlier contents. */
    REPLACE
  }
}

package yardage.core.feed;

import java.text.DecimalFormat;
import java.text.DecimalFormatSymbols;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/**
 * What came of reading some files of a feed.
 *
 * @param feed its name
 * @param step which read
 * @param taken the files that were read to their end, by path
 * @param setAsideByReason rows that did not fit, by the first reason of each
 * @param setAside those of them that count against the feed's limit: not the ones of replays
 * @param allowedShare of the rows that may be set aside
 * @param worst the file with the most of them
 * @param nulled values that became null, as the feed wants it, by column
 * @param notes what was noticed in files and does not matter, in words
 * @param warnings what somebody should look at although the run went well, in words
 * @param change what the contract does not name, where the feed wants to be asked, in words
 */
public record FeedReport(
    String feed,
    String step,
    List<IntakeFile> taken,
    Map<String, Long> setAsideByReason,
    long setAside,
    double allowedShare,
    Optional<WorstFile> worst,
    Map<String, Long> nulled,
    List<String> notes,
    List<String> warnings,
    Optional<String> change) {
  /** A file of which rows were set aside. */
  public record WorstFile(FeedFile file, boolean isReplay, long records, long setAside) {}

  public FeedReport {
    taken = List.copyOf(taken);
    // Told in the same order each time.
    setAsideByReason = Collections.unmodifiableMap(new TreeMap<>(setAsideByReason));
    nulled = Collections.unmodifiableMap(new TreeMap<>(nulled));
    notes = List.copyOf(notes);
    warnings = List.copyOf(warnings);
  }

  /**
   * @throws FeedChangedException when there were fields that the contract does not name, and the
   *     feed wants to be asked
   */
  public void checkChange() {
    change.ifPresent(
        message -> {
          throw new FeedChangedException(feed, message);
        });
  }

  /**
   * @param records how many the step has read
   * @throws FeedException when more than the allowed share was set aside
   */
  public void checkShare(long records) {
    if (setAside > 0 && setAside > allowedShare * records) {
      throw tooMany(
          "Feed [%s] set %,d of %,d records aside (%s), mostly of file [%s]. That is %s, and its set-aside-limit allows %s; nothing was published. Look at the set-aside rows, then fix the files or the feed, or raise set-aside-limit: {share: …} in the feed"
              .formatted(
                  feed,
                  setAside,
                  records,
                  reasons(),
                  worst.orElseThrow().file().path(),
                  percent((double) setAside / records),
                  percent(allowedShare)));
    }
  }

  /**
   * @param most how many rows may be set aside
   */
  FeedException moreThan(long most) {
    return tooMany(
        "Feed [%s] set more rows aside than the %,d that its set-aside-limit allows (%s), mostly of file [%s]; nothing was published. Look at the set-aside rows, then fix the files or the feed, or raise set-aside-limit: {rows: …} in the feed"
            .formatted(feed, most, reasons(), worst.orElseThrow().file().path()));
  }

  private FeedException tooMany(String message) {
    WorstFile of = worst.orElseThrow();
    if (of.isReplay()) {
      return new FeedException(message);
    }
    return new TooManySetAsideException(
        message,
        new FileAtFault.Fault(
            feed,
            of.file(),
            "%,d of its %,d records were set aside (%s)"
                .formatted(of.setAside(), of.records(), reasons())));
  }

  private static String percent(double share) {
    return new DecimalFormat("0.##%", DecimalFormatSymbols.getInstance(Locale.ROOT)).format(share);
  }

  /** Rows that did not fit, by their reasons, in words. */
  String reasons() {
    List<String> out = new ArrayList<>();
    setAsideByReason.forEach((reason, n) -> out.add("%,d %s".formatted(n, reason)));
    return String.join(", ", out);
  }
}

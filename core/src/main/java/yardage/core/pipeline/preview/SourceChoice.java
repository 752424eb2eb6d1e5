package yardage.core.pipeline.preview;

import java.util.Optional;
import java.util.OptionalLong;

/**
 * Which rows of a source are read. What is empty limits nothing; limits together all hold, and rows
 * are counted last.
 *
 * @param rows at most so many, in the order of the source
 * @param share of 1; the same rows whenever it is asked for
 * @param files a pattern for the paths of a feed's files
 * @param where an SQL condition over the source's columns
 */
public record SourceChoice(
    OptionalLong rows, Optional<Double> share, Optional<String> files, Optional<String> where) {
  /** More rows of one source are not a preview any more. */
  public static final long MOST_ROWS = 1_000_000;

  public static final SourceChoice ALL =
      new SourceChoice(OptionalLong.empty(), Optional.empty(), Optional.empty(), Optional.empty());

  public SourceChoice {
    if (rows.isPresent() && (rows.getAsLong() < 1 || rows.getAsLong() > MOST_ROWS)) {
      throw new IllegalArgumentException(
          "Invalid rows of a source: %,d (must be 1 to %,d)"
              .formatted(rows.getAsLong(), MOST_ROWS));
    }
    if (share.isPresent() && !(share.get() > 0 && share.get() <= 1)) {
      throw new IllegalArgumentException(
          "Invalid share of a source: %s (must be above 0 and at most 1)".formatted(share.get()));
    }
  }

  public static SourceChoice first(long rows) {
    return new SourceChoice(
        OptionalLong.of(rows), Optional.empty(), Optional.empty(), Optional.empty());
  }

  /** Whether all rows are read once files are chosen. */
  boolean takesAll() {
    return rows.isEmpty() && share.isEmpty() && where.isEmpty();
  }

  /** With so many rows at most, where it names neither a number nor a share. */
  SourceChoice orFirst(long most) {
    return rows.isPresent() || share.isPresent()
        ? this
        : new SourceChoice(OptionalLong.of(most), share, files, where);
  }
}

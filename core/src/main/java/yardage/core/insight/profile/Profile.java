package yardage.core.insight.profile;

import java.util.List;
import java.util.Optional;
import java.util.OptionalDouble;

/**
 * What some rows hold, column by column.
 *
 * @param rows how many were read
 */
public record Profile(long rows, List<ColumnProfile> columns) {
  public Profile {
    columns = List.copyOf(columns);
  }

  /**
   * A column.
   *
   * @param distinct how many different values there are, nulls aside
   * @param isExact whether that was counted; otherwise it is an estimate, mostly within 3 %
   * @param smallest as SQL orders values; empty where all are null, or the type has no order
   * @param quantiles at 5, 25, 50, 75 and 95 %, of a sample where there are many values
   * @param commonest the values that come most often, the most frequent first
   * @param lengths in characters, of text
   * @param shapes how texts are built, of a sample where there are many; the most frequent first
   * @param histogram of numbers and times between the smallest and the largest one
   */
  public record ColumnProfile(
      String name,
      String type,
      long nulls,
      long distinct,
      boolean isExact,
      Optional<Object> smallest,
      Optional<Object> largest,
      List<Object> quantiles,
      List<Counted> commonest,
      Optional<TextLengths> lengths,
      List<TextShape> shapes,
      List<Bucket> histogram,
      List<Oddity> findings) {}

  /**
   * A value and how often it comes.
   *
   * @param isExact whether it was counted from the first row on; otherwise it comes at least as
   *     often
   */
  public record Counted(Object value, long count, boolean isExact) {}

  /** Of texts, in characters. */
  public record TextLengths(int shortest, int longest, double mean) {}

  /**
   * How texts are built: {@code A} stands for a capital letter, {@code a} for a small one, {@code
   * 9} for a digit; runs of one kind are one with {@code +}.
   *
   * @param share of the texts, of 1
   * @param example one of them
   */
  public record TextShape(String shape, double share, String example) {}

  /** Values from one on to another; the last bucket holds its end too. */
  public record Bucket(Object from, Object to, long count) {}

  /**
   * Something that somebody should look at.
   *
   * @param code stable, for programs
   * @param offer a step's text that mends it, where one can
   */
  public record Oddity(String code, String words, Optional<String> offer) {}

  /** The share of nulls in a column, of 1; empty without rows. */
  public OptionalDouble nullShare(ColumnProfile column) {
    return rows == 0 ? OptionalDouble.empty() : OptionalDouble.of((double) column.nulls() / rows);
  }
}

package yardage.core.format.text;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.nio.charset.StandardCharsets;

/**
 * How the first line of a record begins, where a record may go on over several lines; a line that
 * does not begin so belongs to the record before it. Immutable.
 */
public final class RecordStart {
  /** No beginning is longer than this; a line is not decoded to its end only to see its start. */
  private static final int MOST_BYTES = 512;

  private final Pattern pattern;

  private RecordStart(Pattern pattern) {
    this.pattern = pattern;
  }

  /**
   * @throws IllegalArgumentException saying what is wrong with it
   */
  public static RecordStart compile(String text) {
    try {
      return new RecordStart(Pattern.compile(text));
    } catch (PatternSyntaxException e) {
      throw new IllegalArgumentException("The pattern cannot be read: " + e.getMessage());
    }
  }

  /** The pattern as it was written. */
  public String text() {
    return pattern.pattern();
  }

  /** Whether the line at {@code b[start, end)} begins a record. */
  boolean at(byte[] b, int start, int end) {
    int stop = Math.min(end, start + MOST_BYTES);
    return pattern.matcher(new String(b, start, stop - start, StandardCharsets.UTF_8)).lookingAt();
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof RecordStart r && r.pattern.equals(pattern);
  }

  @Override
  public int hashCode() {
    return pattern.hashCode();
  }
}

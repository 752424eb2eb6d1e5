package yardage.core.format.text;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * A pattern with named groups that a whole line must match, in time linear in the line's length
 * whatever the pattern. Immutable.
 */
public final class LinePattern {
  private static final int LONGEST = 4000;

  private final String text;
  private final Pattern general;
  private final Optional<OnePassProgram> onePass;
  private final boolean asciiOnly;
  private final List<String> names;
  private final int[] groupOf;

  private LinePattern(String text, Pattern general) {
    this.text = text;
    this.general = general;
    Map<String, Integer> groups = general.namedGroups();
    this.names =
        groups.entrySet().stream()
            .sorted(Map.Entry.comparingByValue())
            .map(Map.Entry::getKey)
            .toList();
    this.groupOf = names.stream().mapToInt(groups::get).toArray();
    Optional<PatternSyntax.Parsed> parsed = PatternSyntax.parse(text);
    this.onePass =
        parsed.filter(p -> p.groups() == general.groupCount()).flatMap(OnePassProgram::compile);
    this.asciiOnly = parsed.map(PatternSyntax.Parsed::asciiOnly).orElse(true);
  }

  /**
   * @throws IllegalArgumentException saying what is wrong with it
   */
  public static LinePattern compile(String text) {
    if (text.length() > LONGEST) {
      throw new IllegalArgumentException(
          "The pattern has %,d characters, where %,d are allowed"
              .formatted(text.length(), LONGEST));
    }
    try {
      LinePattern out = new LinePattern(text, Pattern.compile(text));
      if (out.names.isEmpty()) {
        throw new IllegalArgumentException(
            "The pattern has no named groups; name what becomes a column, as in (?<gate>\\w+)");
      }
      return out;
    } catch (PatternSyntaxException e) {
      throw new IllegalArgumentException(
          "The pattern cannot be read: %s (look-around and references back have no linear time and are not known)"
              .formatted(e.getMessage()));
    }
  }

  public String text() {
    return text;
  }

  /** The named groups in their order. */
  public List<String> names() {
    return names;
  }

  /** Whether lines are matched with one look-up a byte, rather than by the general matcher. */
  public boolean isOnePass() {
    return onePass.isPresent();
  }

  /** Matches lines; one thread at a time. */
  Lines lines() {
    return new Lines();
  }

  final class Lines {
    private final int[] slots = new int[2 * Math.max(1, general.groupCount())];

    /**
     * Whether {@code b[start, end)} matches; then {@code starts} and {@code ends} are the borders
     * of the named groups from {@code at} on, -1 where a group took no part.
     */
    boolean match(byte[] b, int start, int end, boolean ascii, int[] starts, int[] ends, int at) {
      if (onePass.isPresent() && (ascii || !asciiOnly)) {
        if (!onePass.get().matches(b, start, end, slots)) {
          return false;
        }
        for (int g = 0; g < groupOf.length; g++) {
          starts[at + g] = slots[2 * (groupOf[g] - 1)];
          ends[at + g] = slots[2 * (groupOf[g] - 1) + 1];
        }
        return true;
      }
      String line = new String(b, start, end - start, StandardCharsets.UTF_8);
      Matcher m = general.matcher(line);
      if (!m.matches()) {
        return false;
      }
      for (int g = 0; g < groupOf.length; g++) {
        int from = m.start(groupOf[g]);
        starts[at + g] = from < 0 ? -1 : start + utf8Length(line, from);
        ends[at + g] = from < 0 ? -1 : start + utf8Length(line, m.end(groupOf[g]));
      }
      return true;
    }

    private int utf8Length(String line, int chars) {
      return line.substring(0, chars).getBytes(StandardCharsets.UTF_8).length;
    }
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof LinePattern p && p.text.equals(text);
  }

  @Override
  public int hashCode() {
    return text.hashCode();
  }

  @Override
  public String toString() {
    return text + Arrays.toString(names.toArray());
  }
}

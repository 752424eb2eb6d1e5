package yardage.core.feed;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import java.math.BigDecimal;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * What the last line of a file says of all of it, to be held against what was read.
 *
 * @param pattern of the line, with named groups; it need not stand for all of the line
 * @param rows the group with the number of records, where there is one
 * @param sums columns to the groups with their sums
 */
public record Trailer(Pattern pattern, Optional<String> rows, Map<String, String> sums) {
  public Trailer {
    sums = Map.copyOf(sums);
  }

  /**
   * @throws IllegalArgumentException saying what is wrong with it
   */
  static Pattern compile(String text) {
    try {
      return Pattern.compile(text);
    } catch (PatternSyntaxException e) {
      throw new IllegalArgumentException("The pattern cannot be read: " + e.getMessage());
    }
  }

  Set<String> groups() {
    return pattern.namedGroups().keySet();
  }

  /** What a file said. */
  record Said(Optional<BigDecimal> rows, Map<String, BigDecimal> sums) {}

  /**
   * @param last the lines that are no records at the file's end
   * @throws IllegalArgumentException when none of them is such a line, or it says no numbers
   */
  Said said(List<String> last) {
    for (String line : last) {
      Matcher m = pattern.matcher(line);
      if (m.find()) {
        Map<String, BigDecimal> said = new HashMap<>();
        sums.forEach((column, group) -> said.put(column, number(m, group)));
        return new Said(rows.map(group -> number(m, group)), said);
      }
    }
    throw new IllegalArgumentException(
        last.isEmpty()
            ? "it has no last line that could be its trailer"
            : "its last line [%s] is not a trailer as the feed describes it"
                .formatted(last.get(last.size() - 1)));
  }

  private static BigDecimal number(Matcher m, String group) {
    String text = m.group(group);
    try {
      return new BigDecimal(text == null ? "" : text.strip());
    } catch (NumberFormatException e) {
      throw new IllegalArgumentException(
          "its trailer has [%s] where the feed expects the number [%s]".formatted(text, group));
    }
  }
}

package yardage.core.feed.propose;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;

/**
 * Finds out whether the first record of delimited text names the fields. Each column speaks for
 * that or against it: a word above numbers speaks for it, a number above numbers against it.
 *
 * @param names as the file has them
 * @param unique whether each name is there once, and none is empty
 * @param because in words
 */
record HeaderGuess(List<String> names, boolean unique, String because) {
  private static final Pattern NUMBER = Pattern.compile("[-+(]?[\\d.,' ]*\\d[\\d.,' ]*[-)%]?");
  private static final Pattern TIME = Pattern.compile("\\d{1,4}[-./]\\d{1,2}[-./]\\d{1,4}.*");
  private static final Pattern NAME = Pattern.compile("[\\p{L}_][\\p{L}\\p{N}_ .:/#%()€$\\-]*");
  private static final Pattern USUAL =
      Pattern.compile("(.*[_ ])?(id|code|name|note|date|no|nr|key|type|kind|day|time)s?([_ ].*)?");
  private static final int MOST_VALUES = 500;

  /** Empty when the first record is one like the others. */
  static Optional<HeaderGuess> of(List<List<ColumnGuess.Value>> columns) {
    List<String> names = new ArrayList<>();
    int speaksFor = 0;
    int speaksAgainst = 0;
    boolean alone = true;
    for (List<ColumnGuess.Value> column : columns) {
      if (column.isEmpty()) {
        return Optional.empty();
      }
      String first = column.get(0).text().orElse("").strip();
      names.add(first);
      List<String> rest =
          column.subList(1, Math.min(column.size(), MOST_VALUES)).stream()
              .map(v -> v.text().orElse("").strip())
              .filter(t -> !t.isEmpty())
              .toList();
      alone &= column.size() == 1;
      int speaks = speaks(first, rest);
      speaksFor += speaks > 0 ? speaks : 0;
      speaksAgainst -= speaks < 0 ? speaks : 0;
    }
    boolean allNames = names.stream().allMatch(n -> NAME.matcher(n).matches());
    boolean header = speaksFor > speaksAgainst || alone && allNames && speaksAgainst == 0;
    if (!header || names.stream().allMatch(String::isEmpty)) {
      return Optional.empty();
    }
    Set<String> seen = new HashSet<>();
    List<String> repeated =
        names.stream().filter(n -> !seen.add(n.toLowerCase(Locale.ROOT))).distinct().toList();
    boolean empty = names.contains("");
    return Optional.of(
        new HeaderGuess(
            names,
            repeated.isEmpty() && !empty,
            "the first record has names where the others have values"
                + (repeated.isEmpty() && !empty
                    ? ""
                    : "; "
                        + (empty
                            ? "some are empty"
                            : "[%s] is there twice".formatted(repeated.get(0)))
                        + ", so fields are matched by their place")));
  }

  /** Above zero when a column's first value looks like its name; below when like its others. */
  private static int speaks(String first, List<String> rest) {
    if (rest.isEmpty()) {
      return first.isEmpty() || !NAME.matcher(first).matches() ? 0 : 1;
    }
    if (rest.stream().anyMatch(first::equalsIgnoreCase)) {
      return -3;
    }
    long numbers = rest.stream().filter(HeaderGuess::isValue).count();
    boolean mostlyValues = numbers * 2 >= rest.size();
    if (isValue(first)) {
      // Years, as in a table that was laid out for people, are names too, above other numbers.
      return mostlyValues ? -2 : -1;
    }
    if (mostlyValues) {
      return first.isEmpty() ? 0 : 3;
    }
    long withDigits = rest.stream().filter(t -> t.chars().anyMatch(Character::isDigit)).count();
    boolean firstHasDigits = first.chars().anyMatch(Character::isDigit);
    if (withDigits * 2 > rest.size() && !firstHasDigits) {
      return 2;
    }
    if (USUAL.matcher(first.toLowerCase(Locale.ROOT)).matches()) {
      return 1;
    }
    // Texts that come again and again, none of which is the first.
    Map<String, Integer> counts = new HashMap<>();
    rest.forEach(t -> counts.merge(t, 1, Integer::sum));
    return rest.size() >= 20 && counts.size() * 4 <= rest.size() && NAME.matcher(first).matches()
        ? 1
        : 0;
  }

  private static boolean isValue(String text) {
    return NUMBER.matcher(text).matches() || TIME.matcher(text).matches();
  }
}

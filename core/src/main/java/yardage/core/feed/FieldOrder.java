package yardage.core.feed;

import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.function.Predicate;

/** Notices fields that stand in another order in a file than in the contract. */
public final class FieldOrder {
  private FieldOrder() {}

  /**
   * The first field that moved.
   *
   * @param found what was found, in words
   */
  public record Moved(String field, String found) {}

  /**
   * @param names the fields of a file in its order; those that the contract does not name, and
   *     those that the file lacks, do not count as moved
   */
  public static Optional<Moved> of(FeedDefinition feed, String file, List<String> names) {
    List<String> seen = lower(names);
    List<String> declared = lower(feed.fields().stream().map(FeedColumn::fileName).toList());
    // A name that is there twice says of neither place what it is.
    Predicate<String> once = n -> seen.indexOf(n) == seen.lastIndexOf(n);
    List<String> inFile = seen.stream().filter(declared::contains).filter(once).toList();
    List<String> inContract = declared.stream().filter(seen::contains).filter(once).toList();
    for (int i = 0; i < Math.min(inFile.size(), inContract.size()); i++) {
      String field = inFile.get(i);
      if (!field.equals(inContract.get(i))) {
        return Optional.of(
            new Moved(
                field,
                "Fields have another order in %s: [%s] is number %d there and number %d in the contract"
                    .formatted(file, field, seen.indexOf(field) + 1, declared.indexOf(field) + 1)));
      }
    }
    return Optional.empty();
  }

  private static List<String> lower(List<String> names) {
    return names.stream().map(n -> n.toLowerCase(Locale.ROOT)).toList();
  }
}

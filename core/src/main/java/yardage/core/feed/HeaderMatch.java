package yardage.core.feed;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.function.Consumer;
import yardage.core.format.FileFormatException;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldMatch;

/** Finds a contract's columns in a header by name, whatever its case, or by place. */
final class HeaderMatch implements FieldMatch {
  private final FeedDefinition feed;
  private final boolean byPosition;
  private final Consumer<String> notes;

  /**
   * @param notes is told what was noticed and does not matter
   */
  HeaderMatch(FeedDefinition feed, boolean byPosition, Consumer<String> notes) {
    this.feed = feed;
    this.byPosition = byPosition;
    this.notes = notes;
  }

  @Override
  public FieldMap match(String file, List<String> names) {
    List<FeedColumn> fields = feed.fields();
    Optional<FieldOrder.Moved> moved = FieldOrder.of(feed, file, names);
    if (byPosition) {
      // The header's own words say that values would land in the wrong columns.
      if (moved.isPresent() && feed.change() == ChangePolicy.STOP) {
        throw new FeedChangedException(
            feed.name(), moved.get().found() + ", and the feed matches them by place");
      }
      return FieldMap.straight(fields.size());
    }
    moved.ifPresent(m -> notes.accept(m.found() + "; they were matched by name"));
    List<String> lower = names.stream().map(n -> n.toLowerCase(Locale.ROOT)).toList();
    List<Integer> places = new ArrayList<>();
    List<String> missing = new ArrayList<>();
    boolean required = false;
    for (FeedColumn field : fields) {
      int place = lower.indexOf(field.fileName().toLowerCase(Locale.ROOT));
      places.add(place);
      if (place < 0 && !field.mayBeAbsent()) {
        missing.add(field.fileName());
        required |= field.rule().required();
      }
    }
    List<FieldMap.Stray> unknown = new ArrayList<>();
    for (int i = 0; i < names.size(); i++) {
      if (lower.indexOf(lower.get(i)) != i) {
        throw new FileFormatException(
            "File [%s] names the column [%s] twice in its header".formatted(file, names.get(i)));
      }
      if (!places.contains(i)) {
        unknown.add(new FieldMap.Stray(names.get(i), i));
      }
    }
    boolean accepts = feed.change() != ChangePolicy.STOP;
    if ((!missing.isEmpty() && (!accepts || required)) || (!unknown.isEmpty() && !accepts)) {
      throw new FeedChangedException(
          feed.name(), message(file, missing, unknown.stream().map(FieldMap.Stray::name).toList()));
    }
    return new FieldMap(names.size(), places, feed.keepsStrays() ? unknown : List.of());
  }

  private String message(String file, List<String> missing, List<String> unknown) {
    return "File [%s] has another header than its feed:%s%s"
        .formatted(
            file,
            missing.isEmpty() ? "" : " it lacks " + missing,
            unknown.isEmpty()
                ? ""
                : (missing.isEmpty() ? "" : ", and")
                    + " it has "
                    + unknown
                    + " which the feed does not declare");
  }
}

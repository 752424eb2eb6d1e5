package yardage.core.feed;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import yardage.core.format.FileFormatException;
import yardage.core.format.record.FieldMap;
import yardage.core.format.record.FieldMatch;

/** Finds a contract's columns in a header by name, whatever its case, or by place. */
final class HeaderMatch implements FieldMatch {
  private final FeedDefinition feed;
  private final boolean byPosition;

  HeaderMatch(FeedDefinition feed, boolean byPosition) {
    this.feed = feed;
    this.byPosition = byPosition;
  }

  @Override
  public FieldMap match(String file, List<String> names) {
    List<FeedColumn> fields = feed.fields();
    if (byPosition) {
      return FieldMap.straight(fields.size());
    }
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

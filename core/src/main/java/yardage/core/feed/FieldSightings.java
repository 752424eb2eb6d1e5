package yardage.core.feed;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;

/** Fields that were met and that no column takes, with an example of each. Thread-safe. */
public final class FieldSightings {
  /** Names kept one by one; a file whose names are data would fill memory otherwise. */
  private static final int MOST_NAMES = 1000;

  private final Map<String, Sighting> byField = new TreeMap<>();
  private long others;

  /**
   * @param count records that had it
   * @param example the value of one of them, as it arrived
   */
  public record Sighting(String field, long count, String file, long line, String example) {}

  synchronized void unknown(String field, long count, String file, long line, String example) {
    Sighting before = byField.get(field);
    if (before != null) {
      byField.put(
          field,
          new Sighting(
              field, before.count() + count, before.file(), before.line(), before.example()));
    } else if (byField.size() < MOST_NAMES) {
      byField.put(field, new Sighting(field, count, file, line, example));
    } else {
      others += count;
    }
  }

  synchronized boolean isEmpty() {
    return byField.isEmpty();
  }

  public synchronized List<Sighting> all() {
    return new ArrayList<>(byField.values());
  }

  /** What was found, in one sentence. */
  synchronized String message(String feed) {
    StringBuilder out =
        new StringBuilder(
            "Feed [%s] has %s that its contract does not name: "
                .formatted(feed, byField.size() == 1 ? "a field" : byField.size() + " fields"));
    int told = 0;
    for (Sighting s : byField.values()) {
      if (told++ == 5) {
        out.append(" and more");
        break;
      }
      out.append(told > 1 ? "; " : "")
          .append(
              "[%s] in %,d record%s, first in %s, line %,d: %s"
                  .formatted(
                      s.field(),
                      s.count(),
                      s.count() == 1 ? "" : "s",
                      s.file(),
                      s.line(),
                      s.example()));
    }
    return out.append(others > 0 ? "; and others beyond the first thousand" : "").toString();
  }
}

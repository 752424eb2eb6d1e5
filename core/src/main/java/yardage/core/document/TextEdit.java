package yardage.core.document;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;

/** Puts other texts in the places of some in a document; all else stays as it is. */
public final class TextEdit {
  private record Change(Place place, String text) {}

  private final List<Change> changes = new ArrayList<>();

  /**
   * @param place on one line
   */
  public TextEdit put(Place place, String text) {
    changes.add(new Change(place, text));
    return this;
  }

  public String of(String document) {
    List<String> lines = new ArrayList<>(List.of(document.split("\n", -1)));
    // From the end to the start, so that places stay what they are.
    changes.stream()
        .sorted(
            Comparator.comparing((Change c) -> c.place().line())
                .thenComparing(c -> c.place().column())
                .reversed())
        .forEach(
            c -> {
              String line = lines.get(c.place().line() - 1);
              lines.set(
                  c.place().line() - 1,
                  line.substring(0, c.place().column() - 1)
                      + c.text()
                      + line.substring(c.place().endColumn()));
            });
    return String.join("\n", lines);
  }
}

package yardage.core.sampler;

import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * What was chosen on a page: of each column the values that its rows may have; the empty one is
 * null.
 */
public record Chosen(Map<String, List<Optional<String>>> values) {
  public static final Chosen NOTHING = new Chosen(Map.of());

  public Chosen {
    Map<String, List<Optional<String>>> copy = new LinkedHashMap<>();
    values.forEach(
        (column, of) -> {
          if (!of.isEmpty()) {
            copy.put(column, List.copyOf(of));
          }
        });
    values = java.util.Collections.unmodifiableMap(copy);
  }

  /** Whether a column has come down to one value. */
  boolean isOne(String column) {
    return values.getOrDefault(column, List.of()).size() == 1;
  }

  /** The same without what was chosen of a column. */
  Chosen without(String column) {
    Map<String, List<Optional<String>>> others = new LinkedHashMap<>(values);
    others.remove(column);
    return new Chosen(others);
  }
}

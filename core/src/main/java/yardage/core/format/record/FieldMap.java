package yardage.core.format.record;

import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.IntStream;

/**
 * Where the declared fields lie among those of a file.
 *
 * @param width fields in a record of the file
 * @param places for each rule the 0-based place in the record, or -1 when the file lacks it
 * @param strays fields of the file that no rule takes and whose values are kept together
 */
public record FieldMap(int width, List<Integer> places, List<Stray> strays) {
  private static final Map<Integer, FieldMap> STRAIGHT = new ConcurrentHashMap<>();

  public FieldMap {
    places = List.copyOf(places);
    strays = List.copyOf(strays);
  }

  /** A field that is in the file and not in the contract. */
  public record Stray(String name, int place) {}

  /** Every rule in its own place. The same object for the same width, as each file has one. */
  public static FieldMap straight(int width) {
    return STRAIGHT.computeIfAbsent(
        width, w -> new FieldMap(w, IntStream.range(0, w).boxed().toList(), List.of()));
  }
}

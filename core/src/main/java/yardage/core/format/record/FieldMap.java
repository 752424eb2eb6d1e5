package yardage.core.format.record;

import java.util.List;

/**
 * Where the declared fields lie among those of a file.
 *
 * @param width fields in a record of the file
 * @param places for each rule the 0-based place in the record, or -1 when the file lacks it
 * @param strays fields of the file that no rule takes and whose values are kept together
 */
public record FieldMap(int width, List<Integer> places, List<Stray> strays) {
  public FieldMap {
    places = List.copyOf(places);
    strays = List.copyOf(strays);
  }

  /** A field that is in the file and not in the contract. */
  public record Stray(String name, int place) {}

  /** Every rule in its own place. */
  public static FieldMap straight(int width) {
    return new FieldMap(
        width, java.util.stream.IntStream.range(0, width).boxed().toList(), List.of());
  }
}

package yardage.core.lake;

import java.util.List;
import java.util.Optional;

/**
 * One compare-and-swap of a table's pointer.
 *
 * @param expected what the pointer must still be; empty when the table must not exist yet
 * @param summary of the table as it is then
 * @param obsolete metadata files that no state keeps any more; to be removed once the pointer moved
 */
public record PointerChange(
    TableName table,
    Optional<String> expected,
    String location,
    TableSummary summary,
    List<String> obsolete) {
  public PointerChange {
    obsolete = List.copyOf(obsolete);
  }
}

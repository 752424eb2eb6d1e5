package yardage.core.plan;

import java.util.List;
import yardage.core.column.Schema;

/**
 * Sorts and cuts. Without keys the order of the input stays.
 *
 * @param offset how many rows are left out first
 * @param fetch how many come then; negative for all
 * @param stops whether rows that are not among these need not be read, as nobody counts them
 */
public record SortSpec(
    String step, List<SortKey> keys, long offset, long fetch, boolean stops, Schema schema)
    implements Spec {
  public SortSpec(String step, List<SortKey> keys, long offset, long fetch, Schema schema) {
    this(step, keys, offset, fetch, false, schema);
  }

  public SortSpec {
    keys = List.copyOf(keys);
    if (offset < 0) {
      throw new IllegalArgumentException("Invalid offset: %d".formatted(offset));
    }
    if (stops && fetch < 0) {
      throw new IllegalArgumentException("All rows are wanted");
    }
  }
}

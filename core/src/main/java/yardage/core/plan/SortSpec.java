package yardage.core.plan;

import java.util.List;
import yardage.core.column.Schema;

/**
 * Sorts and cuts. Without keys the order of the input stays.
 *
 * @param offset how many rows are left out first
 * @param fetch how many come then; negative for all
 */
public record SortSpec(String step, List<SortKey> keys, long offset, long fetch, Schema schema)
    implements Spec {
  public SortSpec {
    keys = List.copyOf(keys);
    if (offset < 0) {
      throw new IllegalArgumentException("Invalid offset: %d".formatted(offset));
    }
  }
}

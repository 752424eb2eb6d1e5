package yardage.core.plan;

import java.util.List;
import yardage.core.column.Schema;

/**
 * Groups by columns (none: one group, there even without rows) and aggregates; gives the keys, then
 * the results.
 */
public record AggregateSpec(
    String step, int[] keys, List<AggregateCall> calls, Schema input, Schema schema)
    implements Spec {
  public AggregateSpec {
    keys = Ordinals.within(keys, input.size());
    calls = List.copyOf(calls);
    if (schema.size() != keys.length + calls.size()) {
      throw new IllegalArgumentException(
          "%d keys and %d results cannot give %d columns"
              .formatted(keys.length, calls.size(), schema.size()));
    }
  }
}

package yardage.core.plan;

import java.util.List;
import yardage.core.column.Schema;

/** Keeps one row per key: the first by {@code order}, then by place in the input; or the last. */
public record DedupeSpec(
    String step, int[] keys, List<SortKey> order, boolean keepLast, Schema schema) implements Spec {
  public DedupeSpec {
    keys = Ordinals.within(keys, schema.size());
    order = List.copyOf(order);
  }
}

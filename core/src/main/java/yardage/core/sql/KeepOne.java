package yardage.core.sql;

import java.util.List;
import org.apache.calcite.plan.RelTraitSet;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.RelWriter;
import org.apache.calcite.rel.SingleRel;
import yardage.core.plan.SortKey;

/** One row per key in the algebra: the first, or the last, by an order. */
public final class KeepOne extends SingleRel {
  private final int[] keys;
  private final List<SortKey> order;
  private final boolean last;

  public KeepOne(RelNode input, int[] keys, List<SortKey> order, boolean last) {
    super(input.getCluster(), input.getCluster().traitSet(), input);
    this.keys = keys.clone();
    this.order = List.copyOf(order);
    this.last = last;
  }

  int[] keys() {
    return keys.clone();
  }

  List<SortKey> order() {
    return order;
  }

  boolean last() {
    return last;
  }

  @Override
  public RelNode copy(RelTraitSet traits, List<RelNode> inputs) {
    return new KeepOne(inputs.get(0), keys, order, last);
  }

  @Override
  public RelWriter explainTerms(RelWriter writer) {
    return super.explainTerms(writer)
        .item("keys", java.util.Arrays.toString(keys))
        .item("order", order)
        .item("last", last);
  }
}

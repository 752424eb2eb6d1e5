package yardage.core.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.SingleRel;
import org.apache.calcite.rel.core.Sample;
import org.apache.calcite.rel.type.RelDataTypeField;
import org.apache.calcite.sql.validate.SqlValidator;
import org.apache.calcite.sql2rel.RelFieldTrimmer;
import org.apache.calcite.tools.RelBuilder;
import org.apache.calcite.util.ImmutableBitSet;
import org.apache.calcite.util.mapping.Mapping;
import org.apache.calcite.util.mapping.Mappings;
import yardage.core.plan.SortKey;

/**
 * Trims unused columns, through our own nodes too. The library finds the methods below by their
 * parameter types.
 */
public final class Trimmer extends RelFieldTrimmer {
  Trimmer(RelBuilder builder) {
    super((SqlValidator) null, builder);
  }

  public TrimResult trimFields(
      StepBorder border, ImmutableBitSet used, Set<RelDataTypeField> extra) {
    TrimResult child = trimChild(border, border.getInput(), used, extra);
    return result(
        new StepBorder(child.left, border.outOf(), border.into(), border.right()), child.right);
  }

  public TrimResult trimFields(KeepOne keep, ImmutableBitSet used, Set<RelDataTypeField> extra) {
    ImmutableBitSet.Builder needed = used.rebuild();
    for (int key : keep.keys()) {
      needed.set(key);
    }
    keep.order().forEach(k -> needed.set(k.ordinal()));
    TrimResult child = trimChild(keep, keep.getInput(), needed.build(), extra);
    Mapping mapping = child.right;
    int[] keys = java.util.Arrays.stream(keep.keys()).map(mapping::getTarget).toArray();
    List<SortKey> order = new ArrayList<>();
    for (SortKey k : keep.order()) {
      order.add(new SortKey(mapping.getTarget(k.ordinal()), k.descending(), k.nullsFirst()));
    }
    return result(new KeepOne(child.left, keys, order, keep.last()), mapping);
  }

  public TrimResult trimFields(OwnStep own, ImmutableBitSet used, Set<RelDataTypeField> extra) {
    RelNode trimmed = withAllColumns(own, extra);
    return result(
        own.copy(own.getTraitSet(), List.of(trimmed)),
        Mappings.createIdentity(own.getRowType().getFieldCount()));
  }

  /** What is the same sample each time is told by all columns. */
  @Override
  public TrimResult trimFields(Sample sample, ImmutableBitSet used, Set<RelDataTypeField> extra) {
    if (!sample.getSamplingParameters().isRepeatable()) {
      return super.trimFields(sample, used, extra);
    }
    RelNode whole = withAllColumns(sample, extra);
    return result(
        sample.copy(sample.getTraitSet(), List.of(whole)),
        Mappings.createIdentity(sample.getRowType().getFieldCount()));
  }

  /** What a node reads, trimmed inside, with each column in its place. */
  private RelNode withAllColumns(SingleRel node, Set<RelDataTypeField> extra) {
    RelNode input = node.getInput();
    ImmutableBitSet all = ImmutableBitSet.range(input.getRowType().getFieldCount());
    return trimChildRestore(node, input, all, extra).left;
  }

  @Override
  public RelNode trim(RelNode root) {
    return super.trim(root);
  }
}

package yardage.core.sql;

import java.util.List;
import java.util.function.BiFunction;
import org.apache.calcite.plan.RelTraitSet;
import org.apache.calcite.rel.RelNode;
import org.apache.calcite.rel.RelWriter;
import org.apache.calcite.rel.SingleRel;
import org.apache.calcite.rel.type.RelDataType;
import yardage.core.column.Schema;
import yardage.core.plan.PlanNode;

/**
 * A step in the algebra that SQL has no word for. Rules do not see through it, and it needs all of
 * its input's columns.
 */
public final class OwnStep extends SingleRel {
  private final String name;
  private final Schema schema;
  private final BiFunction<PlanNode, String, PlanNode> make;

  /**
   * @param schema the columns that come out
   * @param make the node over the input's node, given the step
   */
  public OwnStep(
      RelNode input, String name, Schema schema, BiFunction<PlanNode, String, PlanNode> make) {
    super(input.getCluster(), input.getCluster().traitSet(), input);
    this.name = name;
    this.schema = schema;
    this.make = make;
  }

  String name() {
    return name;
  }

  BiFunction<PlanNode, String, PlanNode> make() {
    return make;
  }

  @Override
  protected RelDataType deriveRowType() {
    return SqlTypes.rowType(schema, getCluster().getTypeFactory());
  }

  @Override
  public RelNode copy(RelTraitSet traits, List<RelNode> inputs) {
    return new OwnStep(inputs.get(0), name, schema, make);
  }

  @Override
  public RelWriter explainTerms(RelWriter writer) {
    // The maker tells two steps of one name apart.
    return super.explainTerms(writer)
        .item("name", name)
        .item("make", System.identityHashCode(make));
  }
}

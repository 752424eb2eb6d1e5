package yardage.core.sql;

import com.google.common.collect.ImmutableList;
import org.apache.calcite.rel.type.RelDataType;
import org.apache.calcite.rel.type.RelDataTypeFactory;
import org.apache.calcite.schema.Statistic;
import org.apache.calcite.schema.Statistics;
import org.apache.calcite.schema.impl.AbstractTable;

/** A relation as the algebra's library wants it. */
final class RelationTable extends AbstractTable {
  private final Relation relation;

  RelationTable(Relation relation) {
    this.relation = relation;
  }

  Relation relation() {
    return relation;
  }

  @Override
  public RelDataType getRowType(RelDataTypeFactory factory) {
    return SqlTypes.rowType(relation.schema(), factory);
  }

  @Override
  public Statistic getStatistic() {
    return Statistics.of(relation.rowCount(), ImmutableList.of());
  }
}

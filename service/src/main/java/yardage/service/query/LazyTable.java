package yardage.service.query;

import java.time.Instant;
import java.util.List;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import yardage.core.column.Schema;
import yardage.core.lake.Lake;
import yardage.core.lake.TableName;
import yardage.core.pipeline.compile.TableRelation;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;
import yardage.service.web.ApiException;

/** A table that is loaded when the query turns out to name it. */
final class LazyTable implements Relation {
  private final TableName name;
  private final Lake lake;
  private TableRelation loaded;

  LazyTable(TableName name, Lake lake) {
    this.name = name;
    this.lake = lake;
  }

  TableName name() {
    return name;
  }

  /** Whether a query turned out to name it. */
  boolean isRead() {
    return loaded != null;
  }

  private TableRelation table() {
    if (loaded == null) {
      loaded =
          new TableRelation(
              lake.table(name)
                  .orElseThrow(
                      () ->
                          ApiException.notFound(
                              "table",
                              name.toString(),
                              lake.tables().stream().map(TableName::toString).toList())));
    }
    return loaded;
  }

  @Override
  public Schema schema() {
    return table().schema();
  }

  @Override
  public double rowCount() {
    return table().rowCount();
  }

  @Override
  public OptionalLong exactRowCount() {
    return table().exactRowCount();
  }

  @Override
  public OptionalDouble valueCount(int column) {
    return table().valueCount(column);
  }

  @Override
  public Relation asOf(Instant time) {
    return table().asOf(time);
  }

  @Override
  public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
    return table().read(columns, predicates, step);
  }
}

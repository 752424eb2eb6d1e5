package yardage.service.query;

import java.util.List;
import java.util.Map;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Schema;
import yardage.core.column.TextColumn;
import yardage.core.column.Type;
import yardage.core.plan.GivenRows;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;
import yardage.service.web.ApiException;

/** Answers that are told rather than computed: what a query would do, what a table has. */
final class Told {
  private Told() {}

  /** The columns of a relation: their names, types, and whether there may be nulls. */
  static PlanNode columns(String name, Map<String, Relation> relations, String step) {
    String known =
        relations.keySet().stream()
            .filter(name::equalsIgnoreCase)
            .findFirst()
            .orElseThrow(
                () -> ApiException.notFound("table", name, List.copyOf(relations.keySet())));
    return columns(relations.get(known).schema(), step);
  }

  static PlanNode columns(Schema schema, String step) {
    List<Schema.Field> fields = schema.fields();
    return rows(
        List.of("column", "type", "nulls"),
        List.of(
            fields.stream().map(Schema.Field::name).toList(),
            fields.stream().map(f -> f.type().toString()).toList(),
            fields.stream().map(f -> f.nullable() ? "yes" : "no").toList()),
        step);
  }

  /** Texts, column by column. */
  static PlanNode rows(List<String> names, List<List<String>> columns, String step) {
    Schema schema = new Schema(names.stream().map(n -> new Schema.Field(n, Type.VARCHAR)).toList());
    List<Column> texts =
        columns.stream().<Column>map(c -> TextColumn.of(c.toArray(String[]::new))).toList();
    Batch rows = new Batch(texts, columns.get(0).size(), 0);
    return new PlanNode.Scan(GivenRows.of(schema, List.of(rows)), schema, step);
  }
}

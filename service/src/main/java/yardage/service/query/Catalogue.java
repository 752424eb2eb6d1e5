package yardage.service.query;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Supplier;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.ColumnBuilder;
import yardage.core.column.Schema;
import yardage.core.column.Type;
import yardage.core.expr.Literal;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.GivenRows;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;
import yardage.core.sql.View;

/**
 * What can be queried, as tables that can be queried: {@code information_schema.tables} and {@code
 * information_schema.columns}, with those columns of the standard (SQL:2016, part 11) that say
 * something here.
 */
final class Catalogue {
  private static final String SCHEMA = "information_schema";
  private static final int ABOUT_ROWS = 1000;

  private Catalogue() {}

  /** The two relations, by name, over all that there are. */
  static Map<String, Relation> of(Map<String, Relation> relations) {
    Map<String, Relation> all = new LinkedHashMap<>(relations);
    Map<String, Relation> out = new LinkedHashMap<>();
    out.put(
        SCHEMA + ".tables",
        new Listed(
            List.of(text("table_schema"), text("table_name"), text("table_type")),
            () -> tables(all)));
    out.put(
        SCHEMA + ".columns",
        new Listed(
            List.of(
                text("table_schema"),
                text("table_name"),
                text("column_name"),
                number("ordinal_position"),
                text("is_nullable"),
                text("data_type"),
                number("numeric_precision"),
                number("numeric_scale")),
            () -> columns(all)));
    return out;
  }

  private static Schema.Field text(String name) {
    return new Schema.Field(name, Type.VARCHAR);
  }

  private static Schema.Field number(String name) {
    return new Schema.Field(name, Type.INT);
  }

  private static List<List<Object>> tables(Map<String, Relation> relations) {
    List<List<Object>> out = new ArrayList<>();
    relations.forEach(
        (name, relation) -> {
          int dot = name.indexOf('.');
          String type =
              name.startsWith("feed.") ? "FEED" : relation instanceof View ? "VIEW" : "BASE TABLE";
          out.add(row(name.substring(0, dot), name.substring(dot + 1), type));
        });
    return out;
  }

  private static List<List<Object>> columns(Map<String, Relation> relations) {
    List<List<Object>> out = new ArrayList<>();
    relations.forEach(
        (name, relation) -> {
          int dot = name.indexOf('.');
          int position = 0;
          Optional<Schema> schema =
              relation instanceof View view ? view.schemaIfAny() : Optional.of(relation.schema());
          for (Schema.Field f : schema.map(Schema::fields).orElse(List.of())) {
            boolean decimal = f.type().kind() == Type.Kind.DECIMAL;
            out.add(
                row(
                    name.substring(0, dot),
                    name.substring(dot + 1),
                    f.name(),
                    ++position,
                    f.nullable() ? "YES" : "NO",
                    f.type().toString(),
                    decimal ? f.type().precision() : null,
                    decimal ? f.type().scale() : null));
          }
        });
    return out;
  }

  private static List<Object> row(Object... values) {
    return java.util.Arrays.asList(values);
  }

  /**
   * @param rows made when a query turns out to read them
   */
  private record Listed(List<Schema.Field> fields, Supplier<List<List<Object>>> rows)
      implements Relation {
    @Override
    public Schema schema() {
      return new Schema(fields);
    }

    @Override
    public double rowCount() {
      return ABOUT_ROWS;
    }

    @Override
    public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
      List<List<Object>> all = rows.get();
      List<Schema.Field> read = new ArrayList<>();
      List<Column> out = new ArrayList<>();
      for (int c : columns) {
        Type type = fields.get(c).type();
        read.add(fields.get(c));
        ColumnBuilder builder = ColumnBuilder.of(type);
        all.forEach(r -> builder.append(Literal.of(type, r.get(c)).column(1), 0));
        out.add(builder.build());
      }
      Schema schema = new Schema(read);
      Batch rows = new Batch(out, all.size(), 0);
      return new PlanNode.Scan(GivenRows.of(schema, List.of(rows)), schema, step);
    }
  }
}

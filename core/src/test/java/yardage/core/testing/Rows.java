package yardage.core.testing;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import yardage.core.column.*;
import yardage.core.exec.*;
import yardage.core.plan.ColumnPredicate;
import yardage.core.plan.GivenRows;
import yardage.core.plan.PlanNode;
import yardage.core.sql.Relation;

/** Small relations in memory, and batches as lists of lists, for tests. */
public final class Rows {
  private Rows() {}

  /** Rows given as boxed values, in batches of {@code batchRows}, each batch a split of its own. */
  public static Relation relation(Schema schema, List<List<Object>> rows, int batchRows) {
    return new Relation() {
      @Override
      public Schema schema() {
        return schema;
      }

      @Override
      public double rowCount() {
        return rows.size();
      }

      @Override
      public PlanNode read(int[] columns, List<ColumnPredicate> predicates, String step) {
        List<Batch> batches = new ArrayList<>();
        for (int at = 0; at < rows.size(); at += batchRows) {
          batches.add(
              batch(schema, columns, rows.subList(at, Math.min(rows.size(), at + batchRows))));
        }
        Schema some = schema.project(columns);
        return new PlanNode.Scan(GivenRows.of(some, batches), some, step);
      }
    };
  }

  public static Batch batch(Schema schema, int[] columns, List<List<Object>> rows) {
    List<Column> out = new ArrayList<>();
    for (int c : columns) {
      out.add(column(schema.field(c).type(), rows.stream().map(r -> r.get(c)).toList()));
    }
    return new Batch(out, rows.size(), 0);
  }

  /** A column of boxed values as {@link Column#value} gives them. */
  public static Column column(Type type, List<?> values) {
    if (type.isNested()) {
      return nested(type, values);
    }
    ColumnBuilder builder = ColumnBuilder.of(type);
    for (Object v : values) {
      if (v == null) {
        builder.appendNull();
      } else {
        builder.append(yardage.core.expr.Cast.parse(Values.text(v), type).column(1), 0);
      }
    }
    return builder.build();
  }

  private static Column nested(Type type, List<?> values) {
    long[] nulls = Bits.allocate(values.size());
    for (int i = 0; i < values.size(); i++) {
      if (values.get(i) == null) {
        Bits.set(nulls, i);
      }
    }
    if (type.kind() == Type.Kind.STRUCT) {
      List<Column> fields = new ArrayList<>();
      for (Type.Part part : type.parts()) {
        List<Object> of = new ArrayList<>();
        values.forEach(v -> of.add(v == null ? null : ((Map<?, ?>) v).get(part.name())));
        fields.add(column(part.type(), of));
      }
      return new StructColumn(type, fields, nulls, values.size());
    }
    int[] offsets = new int[values.size() + 1];
    List<Object> elements = new ArrayList<>();
    for (int i = 0; i < values.size(); i++) {
      if (values.get(i) instanceof List<?> list) {
        elements.addAll(list);
      } else if (values.get(i) instanceof Map<?, ?> map) {
        for (Map.Entry<?, ?> e : map.entrySet()) {
          Map<String, Object> entry = new HashMap<>();
          entry.put(Type.KEY, e.getKey());
          entry.put(Type.VALUE, e.getValue());
          elements.add(entry);
        }
      }
      offsets[i + 1] = elements.size();
    }
    Type inside = type.kind() == Type.Kind.MAP ? type.entry() : type.element();
    return new ListColumn(type, offsets, column(inside, elements), nulls, values.size());
  }

  public static List<List<Object>> rows(List<Batch> batches) {
    List<List<Object>> out = new ArrayList<>();
    for (Batch batch : batches) {
      for (int r = 0; r < batch.rowCount(); r++) {
        out.add(batch.row(r));
      }
    }
    return out;
  }
}

package yardage.core.expr;

import java.util.List;
import yardage.core.column.*;

/** Reaching into structs, lists and maps. What is not there is null. */
public final class Nested {
  private Nested() {}

  /** A field of a struct, by its place. */
  public record FieldOf(Expression struct, int field) implements Expression {
    @Override
    public Type type() {
      return struct.type().parts().get(field).type();
    }

    @Override
    public Column evaluate(Batch batch) {
      StructColumn s = (StructColumn) struct.evaluate(batch);
      Column values = s.fields().get(field);
      if (!s.hasNulls()) {
        return values;
      }
      int[] rows = new int[s.size()];
      for (int r = 0; r < rows.length; r++) {
        rows[r] = s.isNull(r) ? -1 : r;
      }
      return values.gather(rows, rows.length);
    }
  }

  /** {@code list[n]}, counted from 1 as SQL does. */
  public record ElementOf(Expression list, Expression ordinal) implements Expression {
    @Override
    public Type type() {
      return list.type().element();
    }

    @Override
    public Column evaluate(Batch batch) {
      ListColumn l = (ListColumn) list.evaluate(batch);
      Column which = ordinal.evaluate(batch);
      long[] wanted = ((LongColumn) Numbers.convert(which, Type.BIGINT)).values();
      int[] rows = new int[l.size()];
      for (int r = 0; r < rows.length; r++) {
        boolean there =
            !l.isNull(r) && !which.isNull(r) && wanted[r] >= 1 && wanted[r] <= l.length(r);
        rows[r] = there ? l.offsets()[r] + (int) wanted[r] - 1 : -1;
      }
      return l.elements().gather(rows, rows.length);
    }
  }

  /** {@code map[key]}; of equal keys the last one counts. */
  public record ValueOf(Expression map, Expression key) implements Expression {
    @Override
    public Type type() {
      return map.type().parts().get(1).type();
    }

    @Override
    public Column evaluate(Batch batch) {
      ListColumn m = (ListColumn) map.evaluate(batch);
      Column keys = key.evaluate(batch);
      StructColumn entries = (StructColumn) m.elements();
      int[] rows = new int[m.size()];
      for (int r = 0; r < rows.length; r++) {
        rows[r] = -1;
        if (m.isNull(r) || keys.isNull(r)) {
          continue;
        }
        Object wanted = keys.value(r);
        for (int i = m.offsets()[r + 1] - 1; i >= m.offsets()[r] && rows[r] < 0; i--) {
          rows[r] = wanted.equals(entries.fields().get(0).value(i)) ? i : -1;
        }
      }
      return entries.fields().get(1).gather(rows, rows.length);
    }
  }

  /** {@code ARRAY[a, b]}: a list of values of one type. */
  public record ListOf(List<Expression> values, Type type) implements Expression {
    public ListOf {
      values = List.copyOf(values);
    }

    @Override
    public Column evaluate(Batch batch) {
      int rows = batch.rowCount();
      List<Column> columns = values.stream().map(v -> v.evaluate(batch)).toList();
      ColumnBuilder elements = ColumnBuilder.of(type.element());
      int[] offsets = new int[rows + 1];
      for (int r = 0; r < rows; r++) {
        for (Column column : columns) {
          elements.append(column, r);
        }
        offsets[r + 1] = Math.addExact(offsets[r], columns.size());
      }
      return new ListColumn(type, offsets, elements.build(), null, rows);
    }
  }

  /** {@code CARDINALITY}: how many elements or entries. */
  public record LengthOf(Expression list) implements Expression {
    @Override
    public Type type() {
      return Type.INT;
    }

    @Override
    public Column evaluate(Batch batch) {
      ListColumn l = (ListColumn) list.evaluate(batch);
      int[] out = new int[l.size()];
      for (int r = 0; r < out.length; r++) {
        out[r] = l.isNull(r) ? 0 : l.length(r);
      }
      return new IntColumn(Type.INT, out, l.nulls(), out.length);
    }
  }
}

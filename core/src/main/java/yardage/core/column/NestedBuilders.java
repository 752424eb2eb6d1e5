package yardage.core.column;

import java.util.Arrays;
import java.util.List;

/**
 * Builders of columns that hold other columns. Nested values are equal part by part; they have no
 * order.
 */
final class NestedBuilders {
  private NestedBuilders() {}

  static final class OfStruct extends ColumnBuilder {
    private final Type type;
    private final ColumnBuilder[] fields;

    OfStruct(Type type) {
      this.type = type;
      this.fields =
          type.parts().stream().map(p -> ColumnBuilder.of(p.type())).toArray(ColumnBuilder[]::new);
    }

    @Override
    public void append(Column source, int row) {
      if (source.isNull(row)) {
        appendNull();
        return;
      }
      List<Column> theirs = ((StructColumn) source).fields();
      for (int f = 0; f < fields.length; f++) {
        fields[f].append(theirs.get(f), row);
      }
      size++;
    }

    @Override
    void appendDefault() {
      for (ColumnBuilder field : fields) {
        field.appendNull();
      }
      size++;
    }

    @Override
    public boolean equalAt(int at, Column source, int row) {
      boolean isNull = isNullAt(at);
      if (isNull || source.isNull(row)) {
        return isNull == source.isNull(row);
      }
      List<Column> theirs = ((StructColumn) source).fields();
      for (int f = 0; f < fields.length; f++) {
        if (!fields[f].equalAt(at, theirs.get(f), row)) {
          return false;
        }
      }
      return true;
    }

    @Override
    public int compareAt(int at, Column source, int row) {
      throw new UnsupportedOperationException("Structs have no order");
    }

    @Override
    public boolean markDifferences(int[] places, Column source, int rows, boolean[] differs) {
      return markDifferencesSlowly(places, source, rows, differs);
    }

    @Override
    public void reserve(int more) {
      for (ColumnBuilder field : fields) {
        field.reserve(more);
      }
    }

    @Override
    public StructColumn build() {
      List<Column> built = Arrays.stream(fields).map(ColumnBuilder::build).toList();
      return new StructColumn(type, built, takeNulls(), size);
    }

    @Override
    public long sizeBytes() {
      return nullBytes() + Arrays.stream(fields).mapToLong(ColumnBuilder::sizeBytes).sum();
    }
  }

  static final class OfList extends ColumnBuilder {
    private final Type type;
    private final ColumnBuilder elements;
    private int[] offsets = new int[FIRST_CAPACITY + 1];

    OfList(Type type) {
      this.type = type;
      this.elements = of(type.kind() == Type.Kind.MAP ? type.entry() : type.element());
    }

    @Override
    public void append(Column source, int row) {
      reserve(1);
      if (source.isNull(row)) {
        markNull();
      } else {
        ListColumn list = (ListColumn) source;
        for (int i = list.offsets()[row]; i < list.offsets()[row + 1]; i++) {
          elements.append(list.elements(), i);
        }
      }
      offsets[++size] = elements.size();
    }

    @Override
    void appendDefault() {
      reserve(1);
      offsets[++size] = elements.size();
    }

    @Override
    public boolean equalAt(int at, Column source, int row) {
      boolean isNull = isNullAt(at);
      if (isNull || source.isNull(row)) {
        return isNull == source.isNull(row);
      }
      ListColumn list = (ListColumn) source;
      int length = list.length(row);
      if (offsets[at + 1] - offsets[at] != length) {
        return false;
      }
      for (int i = 0; i < length; i++) {
        if (!elements.equalAt(offsets[at] + i, list.elements(), list.offsets()[row] + i)) {
          return false;
        }
      }
      return true;
    }

    @Override
    public int compareAt(int at, Column source, int row) {
      throw new UnsupportedOperationException("Lists have no order");
    }

    @Override
    public boolean markDifferences(int[] places, Column source, int rows, boolean[] differs) {
      return markDifferencesSlowly(places, source, rows, differs);
    }

    @Override
    public void reserve(int more) {
      if (size + more + 1 - offsets.length > 0) {
        offsets = Arrays.copyOf(offsets, grown(offsets.length, size + more + 1));
      }
    }

    @Override
    public ListColumn build() {
      return new ListColumn(type, offsets, elements.build(), takeNulls(), size);
    }

    @Override
    public long sizeBytes() {
      return 4L * offsets.length + elements.sizeBytes() + nullBytes();
    }
  }
}

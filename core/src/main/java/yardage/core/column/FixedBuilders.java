package yardage.core.column;

import java.util.Arrays;

/** Builders of the columns whose values have a fixed width; alike but for the primitive. */
final class FixedBuilders {
  private FixedBuilders() {}

  static final class OfBoolean extends ColumnBuilder {
    private byte[] values = new byte[FIRST_CAPACITY];

    @Override
    public void append(Column source, int row) {
      if (size == values.length) {
        reserve(1);
      }
      if (source.isNull(row)) {
        markNull();
      }
      values[size++] = ((BooleanColumn) source).values()[row];
    }

    @Override
    public void append(Column source, int[] rows, int from, int to) {
      if (source.hasNulls()) {
        super.append(source, rows, from, to);
        return;
      }
      reserve(to - from);
      byte[] theirs = ((BooleanColumn) source).values();
      byte[] ours = values;
      int at = size;
      for (int i = from; i < to; i++) {
        ours[at++] = theirs[rows[i]];
      }
      size = at;
    }

    @Override
    public boolean equalAt(int at, Column source, int row) {
      boolean isNull = isNullAt(at);
      return isNull == source.isNull(row)
          && (isNull || values[at] == ((BooleanColumn) source).values()[row]);
    }

    @Override
    public boolean markDifferences(int[] places, Column source, int rows, boolean[] differs) {
      if (hasNulls() || source.hasNulls()) {
        return markDifferencesSlowly(places, source, rows, differs);
      }
      byte[] theirs = ((BooleanColumn) source).values();
      byte[] ours = values;
      boolean any = false;
      for (int i = 0; i < rows; i++) {
        if (places[i] >= 0 && ours[places[i]] != theirs[i]) {
          differs[i] = true;
          any = true;
        }
      }
      return any;
    }

    @Override
    public void appendAll(Column source) {
      markNulls(source);
      reserve(source.size());
      System.arraycopy(((BooleanColumn) source).values(), 0, values, size, source.size());
      size += source.size();
    }

    @Override
    void appendDefault() {
      reserve(1);
      values[size++] = 0;
    }

    @Override
    public void reserve(int more) {
      if (size + more - values.length > 0) {
        values = Arrays.copyOf(values, grown(values.length, size + more));
      }
    }

    @Override
    public int compareAt(int at, Column source, int row) {
      return Byte.compare(values[at], ((BooleanColumn) source).values()[row]);
    }

    @Override
    public BooleanColumn build() {
      return new BooleanColumn(values, takeNulls(), size);
    }

    @Override
    public long sizeBytes() {
      return 1L * values.length + nullBytes();
    }
  }

  static final class OfInt extends ColumnBuilder {
    private int[] values = new int[FIRST_CAPACITY];

    private final Type type;

    OfInt(Type type) {
      this.type = type;
    }

    @Override
    public void append(Column source, int row) {
      if (size == values.length) {
        reserve(1);
      }
      if (source.isNull(row)) {
        markNull();
      }
      values[size++] = ((IntColumn) source).values()[row];
    }

    @Override
    public void append(Column source, int[] rows, int from, int to) {
      if (source.hasNulls()) {
        super.append(source, rows, from, to);
        return;
      }
      reserve(to - from);
      int[] theirs = ((IntColumn) source).values();
      int[] ours = values;
      int at = size;
      for (int i = from; i < to; i++) {
        ours[at++] = theirs[rows[i]];
      }
      size = at;
    }

    @Override
    public boolean equalAt(int at, Column source, int row) {
      boolean isNull = isNullAt(at);
      return isNull == source.isNull(row)
          && (isNull || values[at] == ((IntColumn) source).values()[row]);
    }

    @Override
    public boolean markDifferences(int[] places, Column source, int rows, boolean[] differs) {
      if (hasNulls() || source.hasNulls()) {
        return markDifferencesSlowly(places, source, rows, differs);
      }
      int[] theirs = ((IntColumn) source).values();
      int[] ours = values;
      boolean any = false;
      for (int i = 0; i < rows; i++) {
        if (places[i] >= 0 && ours[places[i]] != theirs[i]) {
          differs[i] = true;
          any = true;
        }
      }
      return any;
    }

    @Override
    public void appendAll(Column source) {
      markNulls(source);
      reserve(source.size());
      System.arraycopy(((IntColumn) source).values(), 0, values, size, source.size());
      size += source.size();
    }

    @Override
    public void appendRange(Column source, int from, int to) {
      if (source.hasNulls()) {
        super.appendRange(source, from, to);
        return;
      }
      reserve(to - from);
      System.arraycopy(((IntColumn) source).values(), from, values, size, to - from);
      size += to - from;
    }

    @Override
    void appendDefault() {
      reserve(1);
      values[size++] = 0;
    }

    @Override
    public void reserve(int more) {
      if (size + more - values.length > 0) {
        values = Arrays.copyOf(values, grown(values.length, size + more));
      }
    }

    @Override
    public int compareAt(int at, Column source, int row) {
      return Integer.compare(values[at], ((IntColumn) source).values()[row]);
    }

    @Override
    public IntColumn build() {
      return new IntColumn(type, values, takeNulls(), size);
    }

    @Override
    public long sizeBytes() {
      return 4L * values.length + nullBytes();
    }
  }

  static final class OfLong extends ColumnBuilder {
    private long[] values = new long[FIRST_CAPACITY];

    private final Type type;

    OfLong(Type type) {
      this.type = type;
    }

    @Override
    public void append(Column source, int row) {
      if (size == values.length) {
        reserve(1);
      }
      if (source.isNull(row)) {
        markNull();
      }
      values[size++] = ((LongColumn) source).values()[row];
    }

    @Override
    public void append(Column source, int[] rows, int from, int to) {
      if (source.hasNulls()) {
        super.append(source, rows, from, to);
        return;
      }
      reserve(to - from);
      long[] theirs = ((LongColumn) source).values();
      long[] ours = values;
      int at = size;
      for (int i = from; i < to; i++) {
        ours[at++] = theirs[rows[i]];
      }
      size = at;
    }

    @Override
    public boolean equalAt(int at, Column source, int row) {
      boolean isNull = isNullAt(at);
      return isNull == source.isNull(row)
          && (isNull || values[at] == ((LongColumn) source).values()[row]);
    }

    @Override
    public boolean markDifferences(int[] places, Column source, int rows, boolean[] differs) {
      if (hasNulls() || source.hasNulls()) {
        return markDifferencesSlowly(places, source, rows, differs);
      }
      long[] theirs = ((LongColumn) source).values();
      long[] ours = values;
      boolean any = false;
      for (int i = 0; i < rows; i++) {
        if (places[i] >= 0 && ours[places[i]] != theirs[i]) {
          differs[i] = true;
          any = true;
        }
      }
      return any;
    }

    @Override
    public void appendAll(Column source) {
      markNulls(source);
      reserve(source.size());
      System.arraycopy(((LongColumn) source).values(), 0, values, size, source.size());
      size += source.size();
    }

    @Override
    public void appendRange(Column source, int from, int to) {
      if (source.hasNulls()) {
        super.appendRange(source, from, to);
        return;
      }
      reserve(to - from);
      System.arraycopy(((LongColumn) source).values(), from, values, size, to - from);
      size += to - from;
    }

    @Override
    void appendDefault() {
      reserve(1);
      values[size++] = 0;
    }

    @Override
    public void reserve(int more) {
      if (size + more - values.length > 0) {
        values = Arrays.copyOf(values, grown(values.length, size + more));
      }
    }

    @Override
    public int compareAt(int at, Column source, int row) {
      return Long.compare(values[at], ((LongColumn) source).values()[row]);
    }

    @Override
    public LongColumn build() {
      return new LongColumn(type, values, takeNulls(), size);
    }

    @Override
    public long sizeBytes() {
      return 8L * values.length + nullBytes();
    }
  }

  static final class OfDouble extends ColumnBuilder {
    private double[] values = new double[FIRST_CAPACITY];

    private final Type type;

    OfDouble(Type type) {
      this.type = type;
    }

    @Override
    public void append(Column source, int row) {
      if (size == values.length) {
        reserve(1);
      }
      if (source.isNull(row)) {
        markNull();
      }
      values[size++] = ((DoubleColumn) source).values()[row];
    }

    @Override
    public void append(Column source, int[] rows, int from, int to) {
      if (source.hasNulls()) {
        super.append(source, rows, from, to);
        return;
      }
      reserve(to - from);
      double[] theirs = ((DoubleColumn) source).values();
      double[] ours = values;
      int at = size;
      for (int i = from; i < to; i++) {
        ours[at++] = theirs[rows[i]];
      }
      size = at;
    }

    @Override
    public boolean equalAt(int at, Column source, int row) {
      boolean isNull = isNullAt(at);
      return isNull == source.isNull(row)
          && (isNull || values[at] == ((DoubleColumn) source).values()[row]);
    }

    @Override
    public boolean markDifferences(int[] places, Column source, int rows, boolean[] differs) {
      if (hasNulls() || source.hasNulls()) {
        return markDifferencesSlowly(places, source, rows, differs);
      }
      double[] theirs = ((DoubleColumn) source).values();
      double[] ours = values;
      boolean any = false;
      for (int i = 0; i < rows; i++) {
        if (places[i] >= 0 && ours[places[i]] != theirs[i]) {
          differs[i] = true;
          any = true;
        }
      }
      return any;
    }

    @Override
    public void appendAll(Column source) {
      markNulls(source);
      reserve(source.size());
      System.arraycopy(((DoubleColumn) source).values(), 0, values, size, source.size());
      size += source.size();
    }

    @Override
    public void appendRange(Column source, int from, int to) {
      if (source.hasNulls()) {
        super.appendRange(source, from, to);
        return;
      }
      reserve(to - from);
      System.arraycopy(((DoubleColumn) source).values(), from, values, size, to - from);
      size += to - from;
    }

    @Override
    void appendDefault() {
      reserve(1);
      values[size++] = 0;
    }

    @Override
    public void reserve(int more) {
      if (size + more - values.length > 0) {
        values = Arrays.copyOf(values, grown(values.length, size + more));
      }
    }

    @Override
    public int compareAt(int at, Column source, int row) {
      return Double.compare(values[at], ((DoubleColumn) source).values()[row]);
    }

    @Override
    public DoubleColumn build() {
      return new DoubleColumn(type, values, takeNulls(), size);
    }

    @Override
    public long sizeBytes() {
      return 8L * values.length + nullBytes();
    }
  }
}

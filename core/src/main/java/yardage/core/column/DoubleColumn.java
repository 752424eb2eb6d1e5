package yardage.core.column;

/** IEEE 754 double values, or FLOAT ones, each held as the double of the same value. */
public final class DoubleColumn extends Column {
  private final double[] values;

  /** Takes ownership of both arrays; they may be longer than {@code size}. */
  public DoubleColumn(double[] values, long[] nulls, int size) {
    this(Type.DOUBLE, values, nulls, size);
  }

  /** As above; of FLOAT, values are those of 32 bits. */
  public DoubleColumn(Type type, double[] values, long[] nulls, int size) {
    super(type, size, nulls);
    this.values = values;
  }

  /** The values; those of null rows are unspecified. Never written to. */
  public double[] values() {
    return values;
  }

  @Override
  public DoubleColumn gather(int[] rows, int count) {
    double[] out = new double[count];
    for (int i = 0; i < count; i++) {
      int row = rows[i];
      if (row >= 0) {
        out[i] = values[row];
      }
    }
    return new DoubleColumn(type(), out, gatherNulls(rows, count), count);
  }

  @Override
  long neededBytes() {
    return 8L * size();
  }

  @Override
  public long sizeBytes() {
    return 8L * values.length + nullBytes();
  }

  @Override
  public DoubleColumn as(Type type) {
    return type.equals(type()) ? this : new DoubleColumn(type, values, nulls(), size());
  }

  @Override
  public Object value(int row) {
    if (isNull(row)) {
      return null;
    }
    double value = values[row];
    return type().kind() == Type.Kind.FLOAT ? (Object) (float) value : value;
  }
}

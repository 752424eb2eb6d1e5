package yardage.core.column;

/** IEEE 754 double values. */
public final class DoubleColumn extends Column {
  private final double[] values;

  /** Takes ownership of both arrays; they may be longer than {@code size}. */
  public DoubleColumn(double[] values, long[] nulls, int size) {
    super(Type.DOUBLE, size, nulls);
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
    return new DoubleColumn(out, gatherNulls(rows, count), count);
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
    return this;
  }

  @Override
  public Object value(int row) {
    if (isNull(row)) {
      return null;
    }
    return values[row];
  }
}

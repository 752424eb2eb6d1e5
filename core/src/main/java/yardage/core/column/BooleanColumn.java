package yardage.core.column;

/** Truth values, one byte each: 1 is true, 0 is false. */
public final class BooleanColumn extends Column {
  private final byte[] values;

  /** Takes ownership of both arrays; they may be longer than {@code size}. */
  public BooleanColumn(byte[] values, long[] nulls, int size) {
    super(Type.BOOLEAN, size, nulls);
    this.values = values;
  }

  /** The values; those of null rows are unspecified. Never written to. */
  public byte[] values() {
    return values;
  }

  @Override
  public BooleanColumn gather(int[] rows, int count) {
    byte[] out = new byte[count];
    for (int i = 0; i < count; i++) {
      int row = rows[i];
      if (row >= 0) {
        out[i] = values[row];
      }
    }
    return new BooleanColumn(out, gatherNulls(rows, count), count);
  }

  @Override
  long neededBytes() {
    return 1L * size();
  }

  @Override
  public long sizeBytes() {
    return 1L * values.length + nullBytes();
  }

  @Override
  public BooleanColumn as(Type type) {
    return this;
  }

  @Override
  public Object value(int row) {
    if (isNull(row)) {
      return null;
    }
    return values[row] != 0;
  }
}

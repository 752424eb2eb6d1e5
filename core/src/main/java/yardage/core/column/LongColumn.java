package yardage.core.column;

/**
 * BIGINT values, times in microseconds since midnight or 1970, or DECIMAL values of up to 18 digits
 * scaled to whole numbers.
 */
public final class LongColumn extends Column {
  private final long[] values;

  /** Takes ownership of both arrays; they may be longer than {@code size}. */
  public LongColumn(Type type, long[] values, long[] nulls, int size) {
    super(type, size, nulls);
    this.values = values;
  }

  /** The values; those of null rows are unspecified. Never written to. */
  public long[] values() {
    return values;
  }

  @Override
  public LongColumn gather(int[] rows, int count) {
    long[] out = new long[count];
    for (int i = 0; i < count; i++) {
      int row = rows[i];
      if (row >= 0) {
        out[i] = values[row];
      }
    }
    return new LongColumn(type(), out, gatherNulls(rows, count), count);
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
  public LongColumn as(Type type) {
    return new LongColumn(type, values, nulls(), size());
  }

  @Override
  public Object value(int row) {
    if (isNull(row)) {
      return null;
    }
    return Values.boxed(type(), values[row]);
  }
}

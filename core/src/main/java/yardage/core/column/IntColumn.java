package yardage.core.column;

/** INT values, or DATE values as days since 1970-01-01. */
public final class IntColumn extends Column {
  private final int[] values;

  /** Takes ownership of both arrays; they may be longer than {@code size}. */
  public IntColumn(Type type, int[] values, long[] nulls, int size) {
    super(type, size, nulls);
    this.values = values;
  }

  /** The values; those of null rows are unspecified. Never written to. */
  public int[] values() {
    return values;
  }

  @Override
  public IntColumn gather(int[] rows, int count) {
    int[] out = new int[count];
    for (int i = 0; i < count; i++) {
      int row = rows[i];
      if (row >= 0) {
        out[i] = values[row];
      }
    }
    return new IntColumn(type(), out, gatherNulls(rows, count), count);
  }

  @Override
  long neededBytes() {
    return 4L * size();
  }

  @Override
  public long sizeBytes() {
    return 4L * values.length + nullBytes();
  }

  @Override
  public IntColumn as(Type type) {
    return new IntColumn(type, values, nulls(), size());
  }

  @Override
  public Object value(int row) {
    if (isNull(row)) {
      return null;
    }
    return type().kind() == Type.Kind.DATE
        ? java.time.LocalDate.ofEpochDay(values[row])
        : (Object) values[row];
  }
}

package yardage.core.column;

import java.math.BigDecimal;
import java.util.UUID;

/**
 * DECIMAL values of 19 to 38 digits, scaled to whole numbers of 128 bits; or UUID values, whose
 * first bit is turned round, so that they order as numbers as their bytes do.
 */
public final class WideColumn extends Column {
  private final long[] high;
  private final long[] low;

  /** What turns the first bit of values of a type round, and back: of UUIDs alone. */
  public static long turn(Type type) {
    return type.kind() == Type.Kind.UUID ? Long.MIN_VALUE : 0;
  }

  /** Takes ownership of the arrays; they may be longer than {@code size}. */
  public WideColumn(Type type, long[] high, long[] low, long[] nulls, int size) {
    super(type, size, nulls);
    this.high = high;
    this.low = low;
  }

  /** The high words; those of null rows are unspecified. Never written to. */
  public long[] high() {
    return high;
  }

  /** The low words; those of null rows are unspecified. Never written to. */
  public long[] low() {
    return low;
  }

  /** The value of a row that is no null. */
  public BigDecimal decimal(int row) {
    return new BigDecimal(Int128.big(high[row], low[row]), type().scale());
  }

  /** The UUID of a row that is no null. */
  public UUID uuid(int row) {
    return new UUID(high[row] ^ turn(type()), low[row]);
  }

  @Override
  public WideColumn gather(int[] rows, int count) {
    long[] outHigh = new long[count];
    long[] outLow = new long[count];
    for (int i = 0; i < count; i++) {
      int row = rows[i];
      if (row >= 0) {
        outHigh[i] = high[row];
        outLow[i] = low[row];
      }
    }
    return new WideColumn(type(), outHigh, outLow, gatherNulls(rows, count), count);
  }

  @Override
  long neededBytes() {
    return 16L * size();
  }

  @Override
  public long sizeBytes() {
    return 8L * (high.length + low.length) + nullBytes();
  }

  @Override
  public WideColumn as(Type type) {
    return new WideColumn(type, high, low, nulls(), size());
  }

  @Override
  public Object value(int row) {
    return isNull(row) ? null : type().kind() == Type.Kind.UUID ? uuid(row) : decimal(row);
  }
}

package yardage.core.column;

import java.math.BigInteger;
import java.util.Arrays;

/** Builds a {@link WideColumn}. */
public final class WideBuilder extends ColumnBuilder {
  private final Type type;
  private long[] high = new long[FIRST_CAPACITY];
  private long[] low = new long[FIRST_CAPACITY];

  public WideBuilder(Type type) {
    this.type = type;
  }

  /** Appends an unscaled value, which has at most 127 bits. */
  public void append(BigInteger unscaled) {
    reserve(1);
    if (!Int128.set(unscaled, high, low, size++)) {
      throw new IllegalArgumentException("Not a number of 127 bits: " + unscaled);
    }
  }

  @Override
  public void append(Column source, int row) {
    if (size == low.length) {
      reserve(1);
    }
    if (source.isNull(row)) {
      markNull();
    }
    WideColumn theirs = (WideColumn) source;
    high[size] = theirs.high()[row];
    low[size++] = theirs.low()[row];
  }

  @Override
  public void appendAll(Column source) {
    markNulls(source);
    reserve(source.size());
    WideColumn theirs = (WideColumn) source;
    System.arraycopy(theirs.high(), 0, high, size, source.size());
    System.arraycopy(theirs.low(), 0, low, size, source.size());
    size += source.size();
  }

  @Override
  void appendDefault() {
    reserve(1);
    high[size] = 0;
    low[size++] = 0;
  }

  @Override
  public boolean equalAt(int at, Column source, int row) {
    boolean isNull = isNullAt(at);
    return isNull == source.isNull(row) && (isNull || compareAt(at, source, row) == 0);
  }

  @Override
  public int compareAt(int at, Column source, int row) {
    WideColumn theirs = (WideColumn) source;
    return Int128.compare(high[at], low[at], theirs.high()[row], theirs.low()[row]);
  }

  @Override
  public boolean markDifferences(int[] places, Column source, int rows, boolean[] differs) {
    return markDifferencesSlowly(places, source, rows, differs);
  }

  @Override
  public void reserve(int more) {
    if (size + more - low.length > 0) {
      int capacity = grown(low.length, size + more);
      high = Arrays.copyOf(high, capacity);
      low = Arrays.copyOf(low, capacity);
    }
  }

  @Override
  public WideColumn build() {
    return new WideColumn(type, high, low, takeNulls(), size);
  }

  @Override
  public long sizeBytes() {
    return 8L * (high.length + low.length) + nullBytes();
  }
}

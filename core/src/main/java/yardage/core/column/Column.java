package yardage.core.column;

/**
 * An immutable vector of values of one type. Closed because kernels branch on the storage: one
 * class for each way of holding values, not one for each type.
 */
public abstract sealed class Column
    permits BooleanColumn,
        IntColumn,
        LongColumn,
        WideColumn,
        DoubleColumn,
        TextColumn,
        StructColumn,
        ListColumn {
  private static final double MOST_SLACK = 1.5;

  private final Type type;
  private final int size;
  private final long[] nulls;

  Column(Type type, int size, long[] nulls) {
    this.type = type;
    this.size = size;
    this.nulls = nulls;
  }

  public final Type type() {
    return type;
  }

  public final int size() {
    return size;
  }

  /** The null bitmap (a set bit is a null), or null when no value is null. Never written to. */
  public final long[] nulls() {
    return nulls;
  }

  public final boolean isNull(int row) {
    return Bits.get(nulls, row);
  }

  public final boolean hasNulls() {
    return nulls != null;
  }

  /**
   * The rows named by {@code rows[0, count)}, in that order; a negative row number gives a null.
   */
  public abstract Column gather(int[] rows, int count);

  /** Heap bytes held, shared arrays counted in full. */
  public abstract long sizeBytes();

  /** Whether little but these rows is held, so that keeping the column keeps nothing else alive. */
  final boolean isTight() {
    return sizeBytes() <= MOST_SLACK * neededBytes() + nullBytes();
  }

  /** The bytes that these rows need, without the null bitmap; 0 where that is not known. */
  long neededBytes() {
    return 0;
  }

  /** The same values under another type of the same storage. */
  public abstract Column as(Type type);

  /**
   * One value, boxed, for the edges only (display, tests): Boolean, Integer, Long, Double,
   * java.math.BigDecimal, String, java.util.UUID, java.time.LocalDate, LocalTime, LocalDateTime or
   * Instant, Map or List; null for a null.
   */
  public abstract Object value(int row);

  final long[] gatherNulls(int[] rows, int count) {
    if (nulls == null && areThere(rows, count)) {
      return null;
    }
    long[] out = null;
    for (int i = 0; i < count; i++) {
      int row = rows[i];
      if (row < 0 || (nulls != null && Bits.get(nulls, row))) {
        if (out == null) {
          out = Bits.allocate(count);
        }
        Bits.set(out, i);
      }
    }
    return out;
  }

  /** Whether no row number is negative; a loop of this form runs over several at a time. */
  static boolean areThere(int[] rows, int count) {
    int signs = 0;
    for (int i = 0; i < count; i++) {
      signs |= rows[i];
    }
    return signs >= 0;
  }

  final long nullBytes() {
    return nulls == null ? 0 : 8L * nulls.length;
  }
}

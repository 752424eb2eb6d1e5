package yardage.core.column;

/**
 * Grows a column by copying values out of others; what sinks keep rows in. One thread at a time.
 * {@link #build} hands the arrays over: the builder is spent.
 */
public abstract sealed class ColumnBuilder
    permits FixedBuilders.OfBoolean,
        FixedBuilders.OfInt,
        FixedBuilders.OfLong,
        FixedBuilders.OfDouble,
        WideBuilder,
        TextBuilder,
        NestedBuilders.OfStruct,
        NestedBuilders.OfList {
  static final int FIRST_CAPACITY = 64;

  int size;
  private long[] nulls;

  public static ColumnBuilder of(Type type) {
    return switch (type.held()) {
      case TRUTHS -> new FixedBuilders.OfBoolean();
      case INTS -> new FixedBuilders.OfInt(type);
      case LONGS -> new FixedBuilders.OfLong(type);
      case WIDES -> new WideBuilder(type);
      case DOUBLES -> new FixedBuilders.OfDouble(type);
      case BYTES -> new TextBuilder(type);
      case STRUCTS -> new NestedBuilders.OfStruct(type);
      case LISTS -> new NestedBuilders.OfList(type);
    };
  }

  /** One for each column. */
  public static ColumnBuilder[] of(Schema schema) {
    return schema.fields().stream().map(f -> of(f.type())).toArray(ColumnBuilder[]::new);
  }

  /** Copies all of {@code source}, in order. */
  public static Column concat(Type type, java.util.List<Column> parts) {
    if (parts.size() == 1) {
      return parts.get(0);
    }
    ColumnBuilder builder = of(type);
    builder.reserve(parts.stream().mapToInt(Column::size).sum());
    builder.reserveBytes(parts.stream().mapToLong(Column::neededBytes).sum());
    for (Column part : parts) {
      builder.appendAll(part);
    }
    return builder.build();
  }

  public final int size() {
    return size;
  }

  public abstract void append(Column source, int row);

  /** Appends rows {@code rows[from, to)} of {@code source}. */
  public void append(Column source, int[] rows, int from, int to) {
    reserve(to - from);
    for (int i = from; i < to; i++) {
      append(source, rows[i]);
    }
  }

  /** Appends rows {@code [from, to)} of {@code source}. */
  public void appendRange(Column source, int from, int to) {
    reserve(to - from);
    for (int i = from; i < to; i++) {
      append(source, i);
    }
  }

  public void appendAll(Column source) {
    reserve(source.size());
    for (int i = 0; i < source.size(); i++) {
      append(source, i);
    }
  }

  public final void appendNull() {
    markNull();
    appendDefault();
  }

  /** Appends a value of no meaning, for a row that {@link #markNull} has marked. */
  abstract void appendDefault();

  /** Whether the value at {@code at} and a row of {@code source} are the same, or both null. */
  public abstract boolean equalAt(int at, Column source, int row);

  /** Compares the value at {@code at} with a row of {@code source}; neither may be null. */
  public abstract int compareAt(int at, Column source, int row);

  /**
   * Sets {@code differs[i]} where the value at {@code places[i]} is not row {@code i} of {@code
   * source}; places below zero are skipped. Returns whether it set any.
   */
  public abstract boolean markDifferences(int[] places, Column source, int rows, boolean[] differs);

  final boolean markDifferencesSlowly(int[] places, Column source, int rows, boolean[] differs) {
    boolean any = false;
    for (int i = 0; i < rows; i++) {
      if (places[i] >= 0 && !equalAt(places[i], source, i)) {
        differs[i] = true;
        any = true;
      }
    }
    return any;
  }

  final boolean hasNulls() {
    return nulls != null;
  }

  public final boolean isNull(int at) {
    return nulls != null && at >> 6 < nulls.length && Bits.get(nulls, at);
  }

  public abstract void reserve(int more);

  /** Makes room at once for values of so many bytes, where they vary in length. */
  public void reserveBytes(long more) {}

  public abstract Column build();

  /** Heap bytes held now. */
  public abstract long sizeBytes();

  final void markNull() {
    reserveNulls((size >> 6) + 1);
    Bits.set(nulls, size);
  }

  private void reserveNulls(int words) {
    if (nulls == null) {
      nulls = new long[Math.max(8, words)];
    } else if (words > nulls.length) {
      nulls = java.util.Arrays.copyOf(nulls, Math.max(words, nulls.length * 2));
    }
  }

  /** Marks the nulls of all rows of a column that are about to be appended, a word at a time. */
  final void markNulls(Column source) {
    if (!source.hasNulls()) {
      return;
    }
    reserveNulls((size + source.size() + 63) >>> 6);
    int at = size >> 6;
    int shift = size & 63;
    int last = (source.size() - 1) >> 6;
    for (int w = 0; w <= last; w++, at++) {
      long bits = source.nulls()[w];
      if (w == last && (source.size() & 63) != 0) {
        bits &= (1L << source.size()) - 1;
      }
      nulls[at] |= bits << shift;
      if (shift > 0 && bits >>> 64 - shift != 0) {
        nulls[at + 1] |= bits >>> 64 - shift;
      }
    }
  }

  final boolean isNullAt(int row) {
    return nulls != null && (row >> 6) < nulls.length && Bits.get(nulls, row);
  }

  final long[] takeNulls() {
    if (nulls == null) {
      return null;
    }
    int words = (size + 63) >>> 6;
    return nulls.length == words ? nulls : java.util.Arrays.copyOf(nulls, words);
  }

  final long nullBytes() {
    return nulls == null ? 0 : 8L * nulls.length;
  }

  static int grown(int capacity, int needed) {
    if (needed < 0) {
      throw new ColumnFullException();
    }
    long next = Math.max(FIRST_CAPACITY, Math.max((long) needed, capacity + (capacity >> 1)));
    return (int) Math.min(next, Integer.MAX_VALUE - 16);
  }
}

package yardage.core.expr;

import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import yardage.core.column.*;

/**
 * A constant. {@code value} is as the column stores it: Boolean, Integer (INT, DATE), Long (BIGINT,
 * TIMESTAMP, DECIMAL of up to 18 digits), BigDecimal (wider DECIMAL), Double or String; absent for
 * a typed null.
 */
public record Literal(Type type, java.util.Optional<Object> value) implements Expression {

  public static Literal of(Type type, Object value) {
    return new Literal(type, java.util.Optional.ofNullable(value));
  }

  /** A decimal of its type's scale. */
  public static Literal decimal(Type type, BigDecimal value) {
    return of(type, type.isWide() ? value : (Object) value.unscaledValue().longValueExact());
  }

  /**
   * Zero, no text, no: some value of a type that is no null.
   *
   * @throws ExpressionException when the type has no constants
   */
  public static Literal zero(Type type) {
    return switch (type.kind()) {
      case BOOLEAN -> of(type, false);
      case INT, DATE -> of(type, 0);
      case BIGINT, TIMESTAMP -> of(type, 0L);
      case DECIMAL -> decimal(type, BigDecimal.ZERO.setScale(type.scale()));
      case DOUBLE -> of(type, 0.0);
      case VARCHAR -> of(type, "");
      case STRUCT, LIST, MAP ->
          throw new ExpressionException(
              "Values of type %s cannot be compared in this way".formatted(type));
    };
  }

  @Override
  public Column evaluate(Batch batch) {
    return column(batch.rowCount());
  }

  /** This constant {@code size} times. */
  public Column column(int size) {
    long[] nulls = null;
    if (value.isEmpty()) {
      nulls = Bits.allocate(size);
      Arrays.fill(nulls, -1L);
    }
    Object v = value.orElse(null);
    switch (type.kind()) {
      case BOOLEAN:
        byte[] truth = new byte[size];
        if (Boolean.TRUE.equals(v)) {
          Arrays.fill(truth, (byte) 1);
        }
        return new BooleanColumn(truth, nulls, size);
      case INT, DATE:
        int[] ints = new int[size];
        if (v != null) {
          Arrays.fill(ints, (Integer) v);
        }
        return new IntColumn(type, ints, nulls, size);
      case BIGINT, DECIMAL, TIMESTAMP:
        if (type.isWide()) {
          return wide(size, nulls);
        }
        long[] longs = new long[size];
        if (v != null) {
          Arrays.fill(longs, (Long) v);
        }
        return new LongColumn(type, longs, nulls, size);
      case DOUBLE:
        double[] doubles = new double[size];
        if (v != null) {
          Arrays.fill(doubles, (Double) v);
        }
        return new DoubleColumn(doubles, nulls, size);
      case STRUCT, LIST, MAP:
        // Only nulls: SQL has no way of writing other constants of these types here.
        ColumnBuilder builder = ColumnBuilder.of(type);
        for (int i = 0; i < size; i++) {
          builder.appendNull();
        }
        return builder.build();
      case VARCHAR:
        byte[] utf8 = v == null ? new byte[0] : ((String) v).getBytes(StandardCharsets.UTF_8);
        TextColumn text = TextColumn.constant(utf8, size);
        return nulls == null
            ? text
            : TextColumn.coded(utf8, text.offsets(), 1, text.codes(), nulls, size);
    }
    throw new AssertionError(type);
  }

  private WideColumn wide(int size, long[] nulls) {
    long[] high = new long[size];
    long[] low = new long[size];
    if (size > 0 && value.isPresent()) {
      Int128.set(((BigDecimal) value.get()).unscaledValue(), high, low, 0);
      Arrays.fill(high, high[0]);
      Arrays.fill(low, low[0]);
    }
    return new WideColumn(type, high, low, nulls, size);
  }
}

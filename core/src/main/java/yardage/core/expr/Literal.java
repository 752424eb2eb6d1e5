package yardage.core.expr;

import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.UUID;
import yardage.core.column.*;

/**
 * A constant. {@code value} is as the column stores it: Boolean, Integer (INT, DATE), Long (BIGINT,
 * times, DECIMAL of up to 18 digits), BigDecimal (wider DECIMAL), Double or String (VARCHAR, BINARY
 * in hexadecimal digits, UUID); absent for a typed null.
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
      case BIGINT, TIME, TIMESTAMP, TIMESTAMP_TZ -> of(type, 0L);
      case DECIMAL -> decimal(type, BigDecimal.ZERO.setScale(type.scale()));
      case FLOAT, DOUBLE -> of(type, 0.0);
      case VARCHAR, BINARY -> of(type, "");
      case UUID -> of(type, new UUID(0, 0).toString());
      case STRUCT, LIST, MAP ->
          throw new ExpressionException(
              "Values of type %s cannot be compared in this way".formatted(type));
    };
  }

  @Override
  public Column evaluate(Batch batch) {
    return column(batch.rowCount());
  }

  /** As people write it: texts and times between quotation marks. */
  public String words() {
    if (value.isEmpty()) {
      return "NULL";
    }
    String text = Values.text(column(1).value(0));
    return type.isNumeric() || type.kind() == Type.Kind.BOOLEAN
        ? text
        : "'%s'".formatted(text.replace("'", "''"));
  }

  /** This constant {@code size} times. */
  public Column column(int size) {
    long[] nulls = null;
    if (value.isEmpty()) {
      nulls = Bits.allocate(size);
      Arrays.fill(nulls, -1L);
    }
    Object v = value.orElse(null);
    switch (type.held()) {
      case TRUTHS:
        byte[] truth = new byte[size];
        if (Boolean.TRUE.equals(v)) {
          Arrays.fill(truth, (byte) 1);
        }
        return new BooleanColumn(truth, nulls, size);
      case INTS:
        int[] ints = new int[size];
        if (v != null) {
          Arrays.fill(ints, (Integer) v);
        }
        return new IntColumn(type, ints, nulls, size);
      case WIDES:
        return wide(size, nulls);
      case LONGS:
        long[] longs = new long[size];
        if (v != null) {
          Arrays.fill(longs, (Long) v);
        }
        return new LongColumn(type, longs, nulls, size);
      case DOUBLES:
        double[] doubles = new double[size];
        if (v != null) {
          Arrays.fill(doubles, (Double) v);
        }
        return new DoubleColumn(type, doubles, nulls, size);
      case STRUCTS, LISTS:
        // Only nulls: SQL has no way of writing other constants of these types here.
        ColumnBuilder builder = ColumnBuilder.of(type);
        for (int i = 0; i < size; i++) {
          builder.appendNull();
        }
        return builder.build();
      case BYTES:
        byte[] bytes = v == null ? new byte[0] : bytes((String) v);
        TextColumn text = TextColumn.constant(bytes, size);
        return nulls == null
            ? text.as(type)
            : TextColumn.coded(bytes, text.offsets(), 1, text.codes(), nulls, size).as(type);
    }
    throw new AssertionError(type);
  }

  private byte[] bytes(String v) {
    return type.kind() == Type.Kind.BINARY
        ? HexFormat.of().parseHex(v)
        : v.getBytes(StandardCharsets.UTF_8);
  }

  private WideColumn wide(int size, long[] nulls) {
    long[] high = new long[size];
    long[] low = new long[size];
    if (size > 0 && value.isPresent()) {
      if (type.kind() == Type.Kind.UUID) {
        UUID id = UUID.fromString((String) value.get());
        high[0] = id.getMostSignificantBits() ^ WideColumn.turn(type);
        low[0] = id.getLeastSignificantBits();
      } else {
        Int128.set(((BigDecimal) value.get()).unscaledValue(), high, low, 0);
      }
      Arrays.fill(high, high[0]);
      Arrays.fill(low, low[0]);
    }
    return new WideColumn(type, high, low, nulls, size);
  }
}

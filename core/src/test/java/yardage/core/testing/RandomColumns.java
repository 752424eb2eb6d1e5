package yardage.core.testing;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.Stream;
import yardage.core.column.Batch;
import yardage.core.column.Column;
import yardage.core.column.Schema;
import yardage.core.column.Type;

/** Random values of all types, with nulls, repeats, extremes and text that is odd. */
public final class RandomColumns {
  /** One of each way of holding values that is not nested. */
  public static final List<Type> PLAIN =
      List.of(
          Type.BOOLEAN,
          Type.INT,
          Type.BIGINT,
          Type.FLOAT,
          Type.DOUBLE,
          Type.decimal(9, 2),
          Type.decimal(30, 4),
          Type.VARCHAR,
          Type.BINARY,
          Type.UUID,
          Type.DATE,
          Type.TIME,
          Type.TIMESTAMP,
          Type.TIMESTAMP_TZ);

  /** One of each kind, nested ones behind the others. */
  public static final List<Type> TYPES =
      Stream.concat(
              PLAIN.stream(),
              Stream.of(
                      "struct(a int, b varchar)",
                      "list(varchar)",
                      "map(varchar, bigint)",
                      "list(struct(x list(int), y double))")
                  .map(Type::parse))
          .toList();

  private static final List<String> TEXTS =
      List.of(
          "", " ", "0", "a", "Ä", "warp", "a text that is much longer than others, 42", "\0", "🧵");

  private final SplittableRandom random;

  public RandomColumns(long seed) {
    random = new SplittableRandom(seed);
  }

  public Column column(Type type, int rows) {
    int shape = random.nextInt(4);
    Object same = value(type, 6);
    List<Object> values = new ArrayList<>();
    for (int i = 0; i < rows; i++) {
      boolean isNull = shape != 1 && random.nextInt(9) == 0;
      values.add(isNull ? null : shape == 2 ? same : value(type, shape == 3 ? 60 : 6));
    }
    return Rows.column(type, values);
  }

  /**
   * @param bits of the numbers' range
   */
  private Object value(Type type, int bits) {
    long number = random.nextLong() >> (64 - bits);
    return switch (type.kind()) {
      case BOOLEAN -> random.nextBoolean();
      case INT -> (int) number;
      case BIGINT -> number;
      case FLOAT -> random.nextInt(8) == 0 ? Float.POSITIVE_INFINITY : number / 8f;
      case DOUBLE -> random.nextInt(8) == 0 ? Double.NEGATIVE_INFINITY : number / 8.0;
      case DECIMAL ->
          type.isWide()
              ? new BigDecimal(
                  BigInteger.valueOf(number).multiply(BigInteger.valueOf(1_000_000_007)),
                  type.scale())
              : BigDecimal.valueOf(number % 1_000_000_000L, type.scale());
      case VARCHAR ->
          bits > 32 ? Long.toHexString(number) : TEXTS.get(random.nextInt(TEXTS.size()));
      case DATE -> java.time.LocalDate.ofEpochDay(number % 30_000);
      case TIME -> java.time.LocalTime.ofNanoOfDay(Math.floorMod(number, 86_400_000_000L) * 1_000);
      case TIMESTAMP_TZ -> java.time.Instant.ofEpochSecond(number % 2_000_000_000L, 5_000);
      case BINARY -> "%016x".formatted(number).substring(0, 2 * random.nextInt(9));
      case UUID -> new java.util.UUID(number, random.nextLong(3) - 1);
      case TIMESTAMP ->
          java.time.LocalDateTime.ofEpochSecond(
              number % 2_000_000_000L, 1_000 * random.nextInt(9), java.time.ZoneOffset.UTC);
      case STRUCT -> {
        Map<String, Object> out = new HashMap<>();
        type.parts()
            .forEach(p -> out.put(p.name(), random.nextInt(5) == 0 ? null : value(p.type(), bits)));
        yield out;
      }
      case LIST -> {
        Object[] out = new Object[random.nextInt(4)];
        Arrays.setAll(out, i -> random.nextInt(5) == 0 ? null : value(type.element(), bits));
        yield Arrays.asList(out);
      }
      case MAP -> {
        Map<Object, Object> out = new HashMap<>();
        for (int i = random.nextInt(3); i > 0; i--) {
          out.put(value(type.parts().get(0).type(), bits), value(type.parts().get(1).type(), bits));
        }
        yield out;
      }
    };
  }

  public Batch batch(Schema schema, int rows, long sequence) {
    return new Batch(
        schema.fields().stream().map(f -> column(f.type(), rows)).toList(), rows, sequence);
  }
}

package yardage.core.expr;

import java.math.BigDecimal;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import yardage.core.column.*;

/**
 * Whether a value is one of some constants: {@code x IN (a, b, c)}; null when the value is. The
 * constants are of the value's type and no nulls.
 */
public record OneOf(Expression operand, List<Literal> values) implements Expression {
  /** So few are looked at one by one. */
  private static final int FEW = 8;

  public OneOf {
    values = List.copyOf(values);
    for (Literal value : values) {
      if (!isListed(operand.type()) || !value.type().equals(operand.type())) {
        throw new IllegalArgumentException(
            "[%s] cannot be one of constants such as [%s]".formatted(operand, value));
      }
    }
  }

  private static boolean isListed(Type type) {
    return switch (type.held()) {
      case INTS, LONGS, BYTES -> true;
      case TRUTHS, WIDES, DOUBLES, STRUCTS, LISTS -> false;
    };
  }

  /**
   * The test of a value against constants of perhaps other types; empty where comparing with each
   * is the way. A number that the value's type cannot hold is none of its values.
   */
  public static Optional<OneOf> of(Expression operand, List<Literal> values) {
    Type type = operand.type();
    boolean told = isListed(type);
    for (Literal value : values) {
      told &= value.type().equals(type) || isWhole(type) && isWhole(value.type());
    }
    if (!told) {
      return Optional.empty();
    }
    return Optional.of(
        new OneOf(operand, values.stream().flatMap(v -> as(type, v).stream()).toList()));
  }

  /** Held as a number of 64 bits, or fewer, with some scale. */
  private static boolean isWhole(Type type) {
    return type.isNumeric() && (type.held() == Type.Held.INTS || type.held() == Type.Held.LONGS);
  }

  private static Optional<Literal> as(Type type, Literal value) {
    if (value.type().equals(type)) {
      return Optional.of(value);
    }
    BigDecimal number = Numbers.exact(value.column(1), 0).stripTrailingZeros();
    if (number.scale() > type.scale()) {
      return Optional.empty();
    }
    BigDecimal unscaled = number.movePointRight(type.scale());
    Object held =
        type.held() == Type.Held.INTS ? (Object) unscaled.intValue() : unscaled.longValue();
    boolean fits = unscaled.compareTo(new BigDecimal(held.toString())) == 0;
    return fits ? Optional.of(Literal.of(type, held)) : Optional.empty();
  }

  @Override
  public Type type() {
    return Type.BOOLEAN;
  }

  @Override
  public Column evaluate(Batch batch) {
    Column column = operand.evaluate(batch);
    byte[] out = new byte[column.size()];
    if (column instanceof TextColumn text) {
      texts(text, out);
    } else if (column instanceof IntColumn ints) {
      int[] x = ints.values();
      long[] wanted = wanted();
      for (int i = 0; i < out.length; i++) {
        out[i] = has(wanted, x[i]);
      }
    } else {
      long[] x = ((LongColumn) column).values();
      long[] wanted = wanted();
      for (int i = 0; i < out.length; i++) {
        out[i] = has(wanted, x[i]);
      }
    }
    return new BooleanColumn(out, column.nulls(), out.length);
  }

  /** The constants as they are held, in order. */
  private long[] wanted() {
    return values.stream()
        .mapToLong(v -> ((Number) v.value().orElseThrow()).longValue())
        .sorted()
        .toArray();
  }

  private static byte has(long[] wanted, long value) {
    if (wanted.length > FEW) {
      return (byte) (Arrays.binarySearch(wanted, value) >= 0 ? 1 : 0);
    }
    byte found = 0;
    for (long w : wanted) {
      found |= (byte) (w == value ? 1 : 0);
    }
    return found;
  }

  private void texts(TextColumn text, byte[] out) {
    Entries wanted = Entries.of(values);
    if (text.isDictionary()) {
      Texts.byEntry(text, out, byEntry -> wanted.mark(text.entries(), byEntry));
    } else {
      wanted.mark(text, out);
    }
  }

  /** Texts by a hash of their bytes, with open addressing. */
  private record Entries(TextColumn texts, int[] slots) {
    static Entries of(List<Literal> values) {
      TextBuilder builder = new TextBuilder();
      values.forEach(v -> builder.appendAll(v.column(1)));
      TextColumn texts = builder.build();
      int[] slots = new int[Integer.highestOneBit(Math.max(1, texts.size())) * 4];
      for (int e = 0; e < texts.size(); e++) {
        int at = hash(texts.bytes(), texts.start(e), texts.end(e)) & slots.length - 1;
        while (slots[at] != 0) {
          at = at + 1 & slots.length - 1;
        }
        slots[at] = e + 1;
      }
      return new Entries(texts, slots);
    }

    private static int hash(byte[] bytes, int from, int to) {
      int h = to - from;
      for (int i = from; i < to; i++) {
        h = 31 * h + bytes[i];
      }
      return h ^ h >>> 15;
    }

    void mark(TextColumn text, byte[] out) {
      for (int i = 0; i < out.length; i++) {
        int at = hash(text.bytes(), text.start(i), text.end(i)) & slots.length - 1;
        while (slots[at] != 0 && !text.equalAt(i, texts, slots[at] - 1)) {
          at = at + 1 & slots.length - 1;
        }
        out[i] = (byte) (slots[at] == 0 ? 0 : 1);
      }
    }
  }
}

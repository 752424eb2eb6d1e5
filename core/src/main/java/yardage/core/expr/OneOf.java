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
    if (operand instanceof Texts.Substring part && part.isConstant()) {
      TextColumn whole = (TextColumn) part.operand().evaluate(batch);
      byte[] out = new byte[whole.size()];
      texts(whole, Optional.of(part), out);
      return new BooleanColumn(out, whole.nulls(), out.length);
    }
    Column column = operand.evaluate(batch);
    byte[] out = new byte[column.size()];
    if (column instanceof TextColumn text) {
      texts(text, Optional.empty(), out);
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

  /**
   * @param part of each text that is looked up; all of it when empty
   */
  private void texts(TextColumn text, Optional<Texts.Substring> part, byte[] out) {
    TextSet wanted = TextSet.of(values);
    if (text.isDictionary()) {
      Texts.byEntry(text, out, byEntry -> mark(wanted, text.entries(), part, byEntry));
    } else {
      mark(wanted, text, part, out);
    }
  }

  private static void mark(
      TextSet wanted, TextColumn text, Optional<Texts.Substring> part, byte[] out) {
    if (part.isEmpty() && text.codes() == null) {
      wanted.mark(text.bytes(), text.offsets(), 0, text.offsets(), 1, out);
      return;
    }
    int n = out.length;
    int[] from = text.codes() == null ? Arrays.copyOf(text.offsets(), n) : new int[n];
    int[] to = text.codes() == null ? Arrays.copyOfRange(text.offsets(), 1, n + 1) : new int[n];
    for (int i = 0; text.codes() != null && i < n; i++) {
      from[i] = text.start(i);
      to[i] = text.end(i);
    }
    part.ifPresent(p -> p.narrow(text.bytes(), from, to));
    wanted.mark(text.bytes(), from, 0, to, 0, out);
  }
}

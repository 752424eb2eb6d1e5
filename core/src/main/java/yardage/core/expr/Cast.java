package yardage.core.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.nio.charset.StandardCharsets;
import yardage.core.column.*;

/** {@code CAST(value AS type)}. What cannot be cast is an error that names the value. */
public record Cast(Expression operand, Type type) implements Expression {
  @Override
  public Column evaluate(Batch batch) {
    return to(operand.evaluate(batch), type);
  }

  /** The expression as a type; itself where it is of that type. */
  public static Expression ifNeeded(Expression e, Type type) {
    return e.type().equals(type) ? e : new Cast(e, type);
  }

  static Column to(Column column, Type to) {
    Type from = column.type();
    if (from.equals(to)) {
      return column;
    }
    if (to.kind() == Type.Kind.VARCHAR) {
      return toText(column);
    }
    if (column instanceof TextColumn text) {
      return text.isDictionary() && !text.hasNulls()
          ? fromText(text.entries(), to).gather(text.codes(), text.size())
          : fromText(text, to);
    }
    if (from.isNumeric() && to.isNumeric()) {
      return Numbers.convert(column, to);
    }
    if (from.kind() == Type.Kind.DATE && to.kind() == Type.Kind.TIMESTAMP) {
      return Dates.toTimestamp((IntColumn) column);
    }
    if (from.kind() == Type.Kind.TIMESTAMP && to.kind() == Type.Kind.DATE) {
      return Dates.toDate((LongColumn) column);
    }
    throw new ExpressionException("Cannot cast %s to %s".formatted(from, to));
  }

  private static Column toText(Column column) {
    TextBuilder out = new TextBuilder();
    for (int i = 0; i < column.size(); i++) {
      if (column.isNull(i)) {
        out.appendNull();
      } else {
        out.append(Values.text(column.value(i)));
      }
    }
    return out.build();
  }

  private static Column fromText(TextColumn text, Type to) {
    ColumnBuilder out = ColumnBuilder.of(to);
    for (int i = 0; i < text.size(); i++) {
      if (text.isNull(i)) {
        out.appendNull();
      } else {
        out.append(parse(text.value(i), to).column(1), 0);
      }
    }
    return out.build();
  }

  /**
   * Reads one value as SQL's CAST does, blanks at the ends ignored.
   *
   * @throws ExpressionException naming the value
   */
  public static Literal parse(String text, Type to) {
    String t = text.strip();
    try {
      switch (to.kind()) {
        case BOOLEAN:
          if (t.equalsIgnoreCase("true") || t.equalsIgnoreCase("false")) {
            return Literal.of(to, t.equalsIgnoreCase("true"));
          }
          break;
        case INT:
          return Literal.of(to, Integer.parseInt(t));
        case BIGINT:
          return Literal.of(to, Long.parseLong(t));
        case DOUBLE:
          return Literal.of(to, Double.parseDouble(t));
        case DECIMAL:
          BigDecimal d = new BigDecimal(t).setScale(to.scale(), RoundingMode.HALF_UP);
          if (d.precision() <= to.precision()) {
            return Literal.decimal(to, d);
          }
          break;
        case DATE:
          return Literal.of(to, Math.toIntExact(java.time.LocalDate.parse(t).toEpochDay()));
        case TIMESTAMP:
          return Literal.of(
              to,
              Values.micros(
                  java.time.LocalDateTime.parse(
                      t.length() == 10 ? t + "T00:00" : t.replace(' ', 'T'))));
        case VARCHAR:
          return Literal.of(to, text);
        case STRUCT, LIST, MAP:
          break;
      }
    } catch (NumberFormatException | java.time.DateTimeException | ArithmeticException e) {
      // Falls through to the one message that all kinds share.
    }
    throw new ExpressionException("Cannot cast [%s] to %s".formatted(text, to));
  }

  public static byte[] utf8(String text) {
    return text.getBytes(StandardCharsets.UTF_8);
  }
}

package yardage.core.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.nio.charset.StandardCharsets;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.LocalTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.HexFormat;
import java.util.List;
import java.util.Locale;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import yardage.core.column.*;

/** {@code CAST(value AS type)}. What cannot be cast is an error that names the value. */
public record Cast(Expression operand, Type type) implements Expression {
  private static final Pattern UUID =
      Pattern.compile(
          "(\\p{XDigit}{8})-?(\\p{XDigit}{4})-?(\\p{XDigit}{4})-?(\\p{XDigit}{4})-?(\\p{XDigit}{12})");

  private static final Pattern ZONED =
      Pattern.compile("(\\d{4}-\\d\\d-\\d\\d[ T][\\d:.]+) ?([A-Za-z+-].*)");

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
    if (from.kind() == Type.Kind.VARCHAR) {
      TextColumn text = (TextColumn) column;
      return text.isDictionary() && !text.hasNulls()
          ? fromText(text.entries(), to).gather(text.codes(), text.size())
          : fromText(text, to);
    }
    if (from.isNumeric() && to.isNumeric()) {
      return Numbers.convert(column, to);
    }
    if (from.kind() == Type.Kind.DATE && to.isTimestamp()) {
      return Dates.toTimestamp((IntColumn) column).as(to);
    }
    if (from.isTimestamp() && to.kind() == Type.Kind.DATE) {
      return Dates.toDate((LongColumn) column);
    }
    if (from.isTimestamp() && to.kind() == Type.Kind.TIME) {
      return Dates.toTime((LongColumn) column);
    }
    // A time without a zone is one of UTC, as everywhere here.
    if (from.isTimestamp() && to.isTimestamp()) {
      return column.as(to);
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
        case FLOAT:
          float f = Float.parseFloat(t);
          if (Float.isInfinite(f) && Double.isFinite(Double.parseDouble(t))) {
            break;
          }
          return Literal.of(to, (double) f);
        case DOUBLE:
          return Literal.of(to, Double.parseDouble(t));
        case DECIMAL:
          BigDecimal d = new BigDecimal(t).setScale(to.scale(), RoundingMode.HALF_UP);
          if (d.precision() <= to.precision()) {
            return Literal.decimal(to, d);
          }
          break;
        case DATE:
          return Literal.of(to, Math.toIntExact(LocalDate.parse(t).toEpochDay()));
        case TIME:
          return Literal.of(to, Values.micros(LocalTime.parse(t)));
        case TIMESTAMP:
          return Literal.of(to, Values.micros(local(t)));
        case TIMESTAMP_TZ:
          return Literal.of(to, Values.micros(instant(t)));
        case VARCHAR:
          return Literal.of(to, text);
        case BINARY:
          return Literal.of(to, HexFormat.of().formatHex(HexFormat.of().parseHex(t)));
        case UUID:
          Matcher id = UUID.matcher(t.toLowerCase(Locale.ROOT));
          if (id.matches()) {
            return Literal.of(to, id.replaceFirst("$1-$2-$3-$4-$5"));
          }
          break;
        case STRUCT, LIST, MAP:
          break;
      }
    } catch (IllegalArgumentException | DateTimeException | ArithmeticException e) {
      // Falls through to the one message that all kinds share.
    }
    throw new ExpressionException("Cannot cast [%s] to %s%s".formatted(text, to, form(to)));
  }

  /** How values of types are written whose form is not known to everybody. */
  private static String form(Type to) {
    return switch (to.kind()) {
      case FLOAT -> "; it is a number of at most 3.4028235E38";
      case TIME -> "; it is written as 14:30:00";
      case TIMESTAMP_TZ -> "; it is written with its zone, as 2026-03-09 14:30:00+01:00";
      case BINARY -> "; it is written as two hexadecimal digits a byte, as cafe01";
      case UUID ->
          "; it is written as 32 hexadecimal digits, as 5f8b2c1e-0d4a-4b6e-9a3f-2f1d7c0e8b55";
      default -> "";
    };
  }

  private static LocalDateTime local(String t) {
    return LocalDateTime.parse(t.length() == 10 ? t + "T00:00" : t.replace(' ', 'T'));
  }

  /** A local time, then an offset or the name of a zone, where that time must exist once. */
  private static Instant instant(String t) {
    Matcher parts = ZONED.matcher(t);
    if (!parts.matches()) {
      throw new DateTimeException(t);
    }
    LocalDateTime local = local(parts.group(1));
    List<ZoneOffset> offsets = ZoneId.of(parts.group(2)).getRules().getValidOffsets(local);
    if (offsets.size() != 1) {
      throw new DateTimeException(t);
    }
    return local.toInstant(offsets.get(0));
  }

  public static byte[] utf8(String text) {
    return text.getBytes(StandardCharsets.UTF_8);
  }
}
